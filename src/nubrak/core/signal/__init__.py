"""What any engineer of sound knows: level, windows, bands, prediction, loudness, meters, dither, peaks.

In go arrays of samples, out come arrays of numbers; nothing here knows what a drum is. Begin with ``level``
and ``windows``, which nearly everything else uses.
"""

from nubrak.core.signal.band import REACH, in_band
from nubrak.core.signal.correlation import correlation_of_spectra, cross_correlation
from nubrak.core.signal.dither import dithered
from nubrak.core.signal.level import (
    FLOOR_DB,
    INAUDIBLE,
    db_to_gain,
    db_to_power,
    power_ratio_to_db,
    power_to_db,
)
from nubrak.core.signal.loudness import SILENT_LKFS, k_weighting, loudness_lkfs
from nubrak.core.signal.meters import EARLY_S, STEP_S, metered
from nubrak.core.signal.nearest import distance_to_nearest, nearest_of, strongest_within
from nubrak.core.signal.peaks import BASE_EXPONENT, extremes, tile
from nubrak.core.signal.prediction import ORDER, prediction_error_filter, prediction_residual
from nubrak.core.signal.windows import Stretch, windows_at

__all__ = [
    "BASE_EXPONENT",
    "EARLY_S",
    "FLOOR_DB",
    "INAUDIBLE",
    "ORDER",
    "REACH",
    "SILENT_LKFS",
    "STEP_S",
    "Stretch",
    "correlation_of_spectra",
    "cross_correlation",
    "db_to_gain",
    "db_to_power",
    "distance_to_nearest",
    "dithered",
    "extremes",
    "in_band",
    "k_weighting",
    "loudness_lkfs",
    "metered",
    "nearest_of",
    "power_ratio_to_db",
    "power_to_db",
    "prediction_error_filter",
    "prediction_residual",
    "strongest_within",
    "tile",
    "windows_at",
]
