"""Whole loops and the pieces that play them: sounds, grooves, finishing, teaching and scoring.

Libraries of sounds are kept apart as wholes: what is scored on one was taught on the others.
"""
