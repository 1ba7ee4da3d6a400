"""Turning recorded drums into MIDI one can trust, and into samples that lock to the recording."""
