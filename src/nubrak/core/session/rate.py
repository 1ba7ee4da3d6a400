"""The sample rate of a session: what most of its files have, until it is chosen."""

from __future__ import annotations

from collections import Counter

from nubrak.core.session.document import Document

_FURTHEST = 4800  # samples a layer may be put off by


def usual_rate(document: Document) -> int | None:
    """The rate most recordings have; of two as usual the one that came first; None where there are none."""
    rates = Counter(source.clips[0].rate_hz for source in document.sources.values() if source.clips)
    return max(rates, key=lambda rate: rates[rate]) if rates else None


def take_usual_rate(document: Document) -> None:
    """Render at the rate most recordings have, unless another was chosen."""
    usual = usual_rate(document)
    if usual is not None and not document.rate_chosen:
        at_rate(document, usual)


def at_rate(document: Document, rate_hz: int) -> None:
    """Render at a rate: layers stay as far behind their strokes in time as they were."""
    if rate_hz == document.rate_hz:
        return
    by = rate_hz / document.rate_hz
    for part in document.parts.values():
        for layer in part.layers.values():
            layer.offset_samples = _scaled(layer.offset_samples, by)
            layer.each = [
                one.model_copy(update={"offset_samples": _scaled(one.offset_samples, by)})
                for one in layer.each
            ]
    document.rate_hz = rate_hz


def _scaled(samples: int, by: float) -> int:
    return min(max(round(samples * by), -_FURTHEST), _FURTHEST)
