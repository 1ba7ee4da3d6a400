"""Kits: instruments of samples in velocity layers and round robins."""

from __future__ import annotations

from pydantic import BaseModel, Field


class Sample(BaseModel):
    """One recorded or made stroke."""

    audio: str = Field(description="content hash (SHA-256) of the file")
    low_velocity: int = Field(default=1, ge=1, le=127)
    high_velocity: int = Field(default=127, ge=1, le=127)
    attack_s: float = Field(default=0.0, ge=0, description="where in the file its attack is; this is put on the hit")
    velocity: int = Field(default=127, ge=1, le=127, description="the velocity at which it sounds at its own level")


class Instrument(BaseModel):
    """What sounds for one piece: samples sharing velocity ranges take turns."""

    name: str
    piece: str
    samples: list[Sample] = Field(min_length=1)

    def turns(self, velocity: int) -> list[Sample]:
        """The samples that may sound at this velocity, in their order; the nearest range where none fits."""
        fitting = [sample for sample in self.samples if sample.low_velocity <= velocity <= sample.high_velocity]
        if fitting:
            return fitting
        nearest = min(self.samples, key=lambda s: min(abs(velocity - s.low_velocity), abs(velocity - s.high_velocity)))
        return [s for s in self.samples if (s.low_velocity, s.high_velocity) == (nearest.low_velocity, nearest.high_velocity)]


class Kit(BaseModel):
    """A named set of instruments."""

    name: str
    instruments: dict[str, Instrument]
