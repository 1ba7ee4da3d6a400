"""Reasons: why a candidate is or is not a hit, in one sentence with its numbers."""

from __future__ import annotations

from nubrak.core.decide.evidence import Evidence
from nubrak.core.decide.features import FEATURES
from nubrak.core.decide.states import Decisions, State


def reason(
    decisions: Decisions,
    index: int,
    evidence: Evidence | None = None,
    part: str = "part",
    names: dict[str, str] | None = None,
) -> str:
    """Why row ``index`` counts or not. ``evidence`` lets it say what speaks against a stroke; ``names`` are
    those of other parts.
    """
    d, i = decisions, index
    level, over = d.level_db[i], d.level_db[i] - d.line_db[i]
    state = State(int(d.state[i]))
    if state is State.ADDED:
        return f"Counts: added by hand at {clock(d.time_s[i])}."
    if state is State.KEPT:
        moved = f", moved by {1000 * d.moved_s[i]:+.1f} ms".replace("-", "−") if d.moved_s[i] else ""
        return f"Counts: kept by hand{moved}; it stands at {db(level)} dBFS, {_over(over, 'the threshold')}."
    if state is State.DROPPED:
        return (
            f"Does not count: dropped by hand; it stands at {db(level)} dBFS, {_over(over, 'the threshold')}."
        )
    if state is State.OUTSIDE:
        return "Does not count: it lies outside the range that is looked at."
    if state is State.SOFT_RISE:
        return (
            f"Does not count: it rises {d.rise_db[i]:.1f} dB over what rang before, and "
            f"{d.rise_needed_db:.1f} dB are asked for."
        )
    if state in (State.HELD_OFF, State.NOT_ARMED):
        by = int(d.other[i])
        if state is State.HELD_OFF and d.attack_s[i] == d.attack_s[by]:
            return (
                f"Does not count: it belongs to the stroke of {db(d.level_db[by])} dBFS that begins at "
                f"{clock(d.attack_s[by])}."
            )
        apart = (d.time_s[i] - d.time_s[by]) * 1000
        where = "after" if apart >= 0 else "before"
        what = (
            f"inside the hold-off of {d.hold_off_ms:.0f} ms"
            if state is State.HELD_OFF
            else f"and the level had not fallen the {d.re_arm_db:.1f} dB that re-arm asks for"
        )
        return f"Does not count: {abs(apart):.0f} ms {where} a stroke of {db(d.level_db[by])} dBFS, {what}."
    spilt, beyond = _spilt(d, i, names or {})
    if state is State.UNDER:
        why = f"; it is {beyond}" if spilt and d.level_db[i] - d.spill_db[i] < 12 else ""
        return f"Does not count: {db(level)} dBFS is {-over:.1f} dB under the threshold{why}."
    weighed = (
        (
            f", and with all evidence weighed it is a stroke of the {part} with "
            f"{_percent(d.stroke_probability[i])}"
        )
        if d.weighs
        else f", and {d.margin_db:.1f} dB are asked for"
    )
    if state is State.SPILL:
        return f"Does not count: {db(level)} dBFS is {beyond}{weighed}{_against(evidence, d, i)}."
    if state is State.UNLIKE:
        return (
            f"Does not count: {db(level)} dBFS is {over:.1f} dB over the "
            f"threshold{weighed.replace(', and', ', but')}{_against(evidence, d, i)}."
        )
    also = f" and {beyond}" if spilt and d.level_db[i] - d.spill_db[i] < 30 else ""
    sure = (
        f"; a stroke with {_percent(d.stroke_probability[i])}"
        if d.weighs and d.stroke_probability[i] < 0.9
        else ""
    )
    return (
        f"Counts: {db(level)} dBFS is {over:.1f} dB over the threshold{also}; it rises {d.rise_db[i]:.1f} "
        f"dB{sure}."
    )


def _spilt(d: Decisions, i: int, names: dict[str, str]) -> tuple[bool, str]:
    known = 0 <= d.spill_from[i] < len(d.sources)
    if not known:
        return False, "explained by nothing that was played"
    key = d.sources[int(d.spill_from[i])]
    name = names.get(key, key).lower()
    return True, _over(d.level_db[i] - d.spill_db[i], f"what the {name} spills here")


def _against(evidence: Evidence | None, d: Decisions, i: int) -> str:
    """The one or two facts that speak loudest against a stroke."""
    if evidence is None or d.row[i] < 0:
        return ""
    feature = dict(zip(FEATURES, evidence.features[int(d.row[i])].tolist(), strict=True))
    facts = []
    if feature["similarity_other"] > feature["similarity_own"] + 0.25 and feature["similarity_other"] > 0.6:
        facts.append(
            (
                feature["similarity_other"] - feature["similarity_own"],
                "it sounds like what other pieces leave here",
            )
        )
    elif feature["similarity_own"] < 0.3:
        facts.append((0.3 - feature["similarity_own"], "it sounds unlike the strokes here"))
    if feature["louder_over_db"] > 6 and feature["since_louder_ms"] < 100:
        facts.append(
            (
                feature["louder_over_db"] / 40,
                (
                    f"it is {feature['louder_over_db']:.0f} dB softer than a stroke "
                    f"{feature['since_louder_ms']:.0f} ms before"
                ),
            )
        )
    if feature["rise_band_db"] < 8:
        facts.append(((8 - feature["rise_band_db"]) / 16, f"it rises only {feature['rise_band_db']:.1f} dB"))
    if feature["click_db"] < -12:
        facts.append(
            (
                -feature["click_db"] / 60,
                f"its attack has {-feature['click_db']:.0f} dB less treble than usual",
            )
        )
    if feature["under_usual_db"] < -18:
        facts.append(
            (
                -feature["under_usual_db"] / 90,
                f"it is {-feature['under_usual_db']:.0f} dB softer than the loud strokes",
            )
        )
    if not facts:
        return ""
    said = [text for _, text in sorted(facts, reverse=True)[:2]]
    return ": " + " and ".join(said)


def _percent(share: float) -> str:
    return f"{min(max(100 * share, 1), 99):.0f} %"


def db(level_db: float) -> str:
    """A level with one digit and a true minus sign."""
    return f"{level_db:.1f}".replace("-", "−")


def clock(time_s: float) -> str:
    """Seconds as minutes and seconds to the millisecond."""
    return f"{int(time_s // 60)}:{time_s % 60:06.3f}"


def _over(amount_db: float, what: str) -> str:
    return f"{abs(amount_db):.1f} dB {'over' if amount_db >= 0 else 'under'} {what}"
