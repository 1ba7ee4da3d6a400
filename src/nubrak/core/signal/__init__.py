"""What any engineer of sound knows: level, windows, bands, prediction, loudness, meters, dither, peaks.

In go arrays of samples, out come arrays of numbers; nothing here knows what a drum is. Begin with ``level``
and ``windows``, which nearly everything else uses.
"""

from nubrak.core.signal.band import REACH, in_band
from nubrak.core.signal.dither import dithered
from nubrak.core.signal.level import FLOOR_DB, INAUDIBLE, db_to_gain, power_to_db
from nubrak.core.signal.loudness import SILENT_LKFS, k_weighting, loudness_lkfs
from nubrak.core.signal.meters import EARLY_S, STEP_S, metered
from nubrak.core.signal.prediction import ORDER, prediction_error_filter, prediction_residual
from nubrak.core.signal.windows import windows_at

__all__ = [
    "EARLY_S",
    "FLOOR_DB",
    "INAUDIBLE",
    "ORDER",
    "REACH",
    "SILENT_LKFS",
    "STEP_S",
    "db_to_gain",
    "dithered",
    "in_band",
    "k_weighting",
    "loudness_lkfs",
    "metered",
    "power_to_db",
    "prediction_error_filter",
    "prediction_residual",
    "windows_at",
]
