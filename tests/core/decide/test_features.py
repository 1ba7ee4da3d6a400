"""The names of what is weighed."""

from __future__ import annotations

from nubrak.core.decide.features import AGAINST, FEATURES, FOR

# What has no unit: shares, likenesses, counts, yes and no.
PLAIN = ("share", "similarity", "probability", "kick", "drum", "cymbal", "overall", "parts", "heard_by")


def test_each_has_a_name_of_its_own_that_says_its_unit() -> None:
    assert len(set(FEATURES)) == len(FEATURES)
    for name in FEATURES:
        assert name.endswith(("_db", "_ms", "_sigma")) or any(word in name for word in PLAIN), name


def test_none_can_speak_only_for_and_only_against() -> None:
    assert set(FOR) <= set(FEATURES) and set(AGAINST) <= set(FEATURES) and not set(FOR) & set(AGAINST)
