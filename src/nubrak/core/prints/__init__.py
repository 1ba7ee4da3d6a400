"""What is taken along: audio files, lists of hits, the session as one archive.

A function that renders windows in, files out. Begin with ``files``.
"""

from nubrak.core.prints.archive import (
    MANIFEST,
    MIDI,
    Manifest,
    Stored,
    audio_of,
    hash_named,
    opened,
    put,
    renamed,
    unpacked,
)
from nubrak.core.prints.files import (
    ENDING,
    Cancelled,
    Depth,
    Form,
    GoOn,
    Print,
    Printed,
    PrintSettings,
    Window,
    measured,
    print_all,
    print_file,
    write_sample,
)
from nubrak.core.prints.hit_lists import MOST_LIST_BYTES, HitLine, read_hits, to_csv, to_jams, to_json
from nubrak.core.prints.recorded_kit import CLOSE, KitPrint, Taken, print_kit
from nubrak.core.prints.slices import FIRST_KEY, MOST_ON_NOTES, SliceFile, SlicePrint, print_slices

__all__ = [
    "CLOSE",
    "ENDING",
    "FIRST_KEY",
    "MANIFEST",
    "MIDI",
    "MOST_LIST_BYTES",
    "MOST_ON_NOTES",
    "Cancelled",
    "Depth",
    "Form",
    "GoOn",
    "HitLine",
    "KitPrint",
    "Manifest",
    "Print",
    "PrintSettings",
    "Printed",
    "SliceFile",
    "SlicePrint",
    "Stored",
    "Taken",
    "Window",
    "audio_of",
    "hash_named",
    "measured",
    "opened",
    "print_all",
    "print_file",
    "print_kit",
    "print_slices",
    "put",
    "read_hits",
    "renamed",
    "to_csv",
    "to_jams",
    "to_json",
    "unpacked",
    "write_sample",
]
