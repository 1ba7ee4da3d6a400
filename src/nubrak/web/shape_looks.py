"""What the Shape bench is shown: every note with where it comes from and how it lies on the grid."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from nubrak.core.midi import Left, ReadMidi, midi_difference, proposals
from nubrak.core.pieces import GENERAL_MIDI, PIECES, NoteMap
from nubrak.core.shape import (
    CurveShape,
    Notes,
    deviation_ms,
    feel_of,
    in_scope,
    marks_of_hits,
    speaks_of_note,
    starting_curve,
    steps_of_bar,
    usual_db_of,
    velocity_of,
)
from nubrak.core.sort import same_sounds
from nubrak.core.tempo import Grid, TempoGuess, beats_at, estimate_tempo, follow
from nubrak.web.desk import Desk, Standing
from nubrak.web.shape_wire import (
    AskShape,
    ChangesFromMidi,
    LiveNotes,
    NoteLine,
    NoteMapTable,
    Same,
    ShapeColumns,
)

_STARTS: tuple[CurveShape, ...] = ("played", "closer", "wider", "straight", "even")


def shape_columns(standing: Standing, part_id: str, ask: AskShape) -> ShapeColumns:
    """A part's notes as they stand, as played, or as other settings would have them."""
    decisions, part, tempo = (
        standing.decisions(part_id),
        standing.document.part(part_id),
        standing.document.tempo,
    )
    settings = ask.shape or part.shape
    notes = (
        standing.notes(part_id, before=True)
        if ask.before
        else standing.shaped(part_id, decisions, settings)
        if ask.shape
        else standing.notes(part_id)
    )
    drawn = settings.timing.quantise
    grid = ask.grid or (drawn.grid if drawn is not None else Grid())
    beats = beats_at(tempo, notes.time_s)
    step, late_ms = deviation_ms(notes.time_s, tempo, grid)
    count = steps_of_bar(grid, tempo.bar_beats)
    hits = np.nonzero(decisions.counts)[0]
    strength, usual_db = decisions.strength_db[hits], usual_db_of(decisions)
    played = np.full(len(decisions.time_s), np.nan)
    played[hits] = np.clip(velocity_of(strength, settings.curve, usual_db), 1, 127) if len(hits) else 0.0
    by_hand = {row for row, mark in marks_of_hits(decisions, part.mark_list).items() if speaks_of_note(mark)}
    beside = list(part.pattern.items())
    # What is beside the recorded ones says for itself when it is played, and how hard.
    struck_s = [
        float(decisions.time_s[row]) if row >= 0 else beside[-1 - row][1].time_s for row in notes.row.tolist()
    ]
    before = [
        float(played[row]) if row >= 0 else float(beside[-1 - row][1].velocity) for row in notes.row.tolist()
    ]
    all_struck_s = np.sort(np.concatenate([decisions.time_s[hits], [note.time_s for _, note in beside]]))
    starts = {kind: starting_curve(kind, strength, usual_db) for kind in _STARTS}
    # A hair before the bar line belongs to the bar it is meant for.
    bar = np.floor(beats / tempo.bar_beats + 0.02)
    return ShapeColumns.model_construct(
        revision=standing.state.revision,
        time_s=np.round(notes.time_s, 6).tolist(),
        struck_s=[round(time_s, 6) for time_s in struck_s],
        found_s=_at(decisions.found_s, notes),
        strength_db=_at(np.round(decisions.strength_db, 2), notes),
        played=[round(velocity, 1) for velocity in before],
        velocity=notes.velocity.tolist(),
        note=notes.each_number.tolist(),
        length_s=np.round(notes.each_length_s(tempo), 4).tolist(),
        late_ms=np.round(late_ms, 3).tolist(),
        step=(step % count).tolist(),
        bar=(bar + 1).astype(int).tolist(),
        beat=np.round((beats - bar * tempo.bar_beats) * tempo.beat_unit / 4 + 1, 3).tolist(),
        by_hand=[row in by_hand if row >= 0 else beside[-1 - row][1].fixed for row in notes.row.tolist()],
        pattern_id=["" if row >= 0 else beside[-1 - row][0] for row in notes.row.tolist()],
        shape=settings,
        number=notes.number,
        grid=grid,
        step_labels=grid.labels(count, tempo.beat_unit),
        feel=feel_of("as it stands", step, late_ms, notes.velocity, grid, tempo.bar_beats).steps,
        curve=settings.curve or starts["played"],
        starts=starts,
        touched=[int(np.count_nonzero(in_scope(all_struck_s, one.scope, tempo))) for one in settings.steps],
        usual_db=round(usual_db, 2),
    )


def _at(values: NDArray[np.float64], notes: Notes) -> list[float | None]:
    """A column of the decisions for every note; None beside the recorded ones."""
    listed = values.tolist()
    return [round(listed[row], 6) if row >= 0 else None for row in notes.row.tolist()]


def same(desk: Desk, standing: Standing, part_id: str) -> Same:
    """The null test over a part's hits, clip by clip of its first source."""
    document, decisions = standing.document, standing.decisions(part_id)
    time_s = decisions.time_s[decisions.counts]
    group, residual = np.full(len(time_s), -1), np.zeros(len(time_s))
    for clip in [
        clip for source_id in document.part(part_id).sources[:1] for clip in document.sources[source_id].clips
    ]:
        here = np.nonzero((time_s >= clip.start_s) & (time_s < clip.start_s + clip.length_s))[0]
        found = same_sounds(desk.cache.mono(clip.audio), time_s[here] - clip.start_s, clip.rate_hz)
        group[here] = np.where(found.group >= 0, found.group + group.max() + 1, -1)
        residual[here] = found.residual_db
    copies, groups = int(np.count_nonzero(group >= 0)), int(group.max()) + 1 if len(group) else 0
    programmed = len(group) >= 4 and copies >= len(group) / 2
    if not copies:
        said = "Every stroke is a sound of its own, as a player's are."
    else:
        worst = float(residual[group >= 0].max())
        said = (
            f"{copies} of {len(group)} hits are copies of {groups} sound{'' if groups == 1 else 's'}: taken "
            f"off each other, {worst:.0f} dB or less is left."
        ).replace("-", "−")
        said += (
            " Its dynamics are programmed; Recovery and Accents below give it a player's."
            if programmed
            else ""
        )
    return Same(
        time_s=np.round(time_s, 6).tolist(),
        group=group.tolist(),
        residual_db=np.round(residual, 1).tolist(),
        programmed=programmed,
        said=said,
    )


def struck(standing: Standing, part_ids: list[str]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """All hits of these parts in order of time, (n,) in s, and how strong each is against its part's,
    (n,).
    """
    times, weights = [np.zeros(0)], [np.zeros(0)]
    for part_id in part_ids or list(standing.document.parts):
        notes = standing.notes(part_id, before=True)
        times.append(notes.time_s)
        weights.append(notes.velocity / 127.0)
    time_s, weight = np.concatenate(times), np.concatenate(weights)
    order = np.argsort(time_s, kind="stable")
    return time_s[order], weight[order]


def tempo_guesses(standing: Standing, part_ids: list[str]) -> list[TempoGuess]:
    """The tempo that the hits of these parts suggest."""
    return estimate_tempo(*struck(standing, part_ids))


def following(standing: Standing, part_ids: list[str]) -> dict[str, object]:
    """The changes to the session's tempo with which its grid stays with these parts."""
    tempo = standing.document.tempo
    straight = tempo.model_copy(update={"changes": []})
    changes = follow(straight, *struck(standing, part_ids))
    return {"changes": [change.model_dump() for change in changes]}


def changes_from(standing: Standing, read: ReadMidi) -> ChangesFromMidi:
    """What a MIDI file that left from here says different now."""
    document = standing.document
    left = {
        part_id: (standing.names[part_id], standing.notes(part_id)) for part_id, _ in document.ordered_parts()
    }
    back = midi_difference(left, read)
    about = {
        part_id: Left(standing.notes(part_id), standing.decisions(part_id), part.mark_list, part.pattern)
        for part_id, part in document.parts.items()
    }
    return ChangesFromMidi(
        proposals=proposals(back.differences, about), same=back.same, strange=back.strange, said=read.said
    )


def live_notes(standing: Standing, part_ids: list[str], before: bool) -> LiveNotes:
    """Every note of these parts in order of time, to be sent while they are due."""
    chosen = [standing.notes(part_id, before=before) for part_id in part_ids]
    if not chosen:
        return LiveNotes(time_s=[], length_s=[], note=[], velocity=[], channel=[])
    time_s = np.concatenate([notes.time_s for notes in chosen])
    order = np.argsort(time_s, kind="stable")
    length_s = np.concatenate([notes.each_length_s(standing.document.tempo) for notes in chosen])
    note, velocity, channel = (
        np.concatenate(column)[order].tolist()
        for column in (
            [notes.each_number for notes in chosen],
            [notes.velocity for notes in chosen],
            [np.full(len(notes), notes.channel) for notes in chosen],
        )
    )
    return LiveNotes.model_construct(
        time_s=time_s[order].tolist(),
        length_s=length_s[order].tolist(),
        note=note,
        velocity=velocity,
        channel=channel,
    )


def note_table(note_map: NoteMap) -> NoteMapTable:
    """A note map line by line."""
    lines = [
        NoteLine(
            piece=piece.id,
            name=piece.name,
            note=note_map.number_of(piece.id),
            called=GENERAL_MIDI.get(note_map.number_of(piece.id), "no drum of General MIDI"),
        )
        for piece in PIECES.values()
    ]
    return NoteMapTable(name=note_map.name, lines=lines, called=GENERAL_MIDI)
