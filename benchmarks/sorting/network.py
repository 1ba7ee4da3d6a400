"""The network that is taught, in torch; what runs it in the product is ``nubrak.core.sort.network``.

Each moment becomes a token: one-dimensional convolutions over log frequency, with the windows of time as
channels, so that a drum tuned otherwise looks the same a little to the side. Two layers of self-attention
(Vaswani et al., "Attention is all you need", 2017) then let every moment of a loop see all others: what
stands alone explains what is struck together, and what is not in the loop at all is known from all of it.
"""

from __future__ import annotations

import torch
from torch import Tensor, nn

from nubrak.core.sort.sounds import SOUNDS

WIDTH, HEADS, LAYERS = 192, 6, 2


class Attending(nn.Module):
    """One layer of self-attention, normalised before each of its halves."""

    def __init__(self, width: int, heads: int, drop: float) -> None:
        super().__init__()
        self.heads, self.drop = heads, drop
        self.norm1, self.norm2 = nn.LayerNorm(width), nn.LayerNorm(width)
        self.qkv, self.out = nn.Linear(width, 3 * width), nn.Linear(width, width)
        self.up, self.down = nn.Linear(width, 2 * width), nn.Linear(2 * width, width)
        self.dropout = nn.Dropout(drop)

    def forward(self, x: Tensor, there: Tensor) -> Tensor:
        batch, count, width = x.shape
        q, k, v = (
            one.reshape(batch, count, self.heads, -1).transpose(1, 2)
            for one in self.qkv(self.norm1(x)).chunk(3, -1)
        )
        mixed = nn.functional.scaled_dot_product_attention(q, k, v, attn_mask=there[:, None, None, :])
        x = x + self.dropout(self.out(mixed.transpose(1, 2).reshape(batch, count, width)))
        return x + self.dropout(self.down(torch.relu(self.up(self.norm2(x)))))


class Network(nn.Module):
    """Tokens of a loop → log odds of each sound (batch, n, sounds) and its level in tens of dB, the same
    shape.
    """

    def __init__(self, drop: float = 0.1, width: int = WIDTH, layers: int = LAYERS) -> None:
        super().__init__()
        self.long = nn.ModuleList([nn.Conv1d(11, 64, 7, 2, 3), nn.Conv1d(64, 96, 5, 2, 2)])
        self.short = nn.ModuleList([nn.Conv1d(12, 48, 5, 2, 2)])
        self.from_long, self.from_short, self.from_low = (
            nn.Linear(1344, 160),
            nn.Linear(672, 96),
            nn.Linear(102, 48),
        )
        self.join = nn.Linear(160 + 96 + 48 + 3, width)
        self.drop = nn.Dropout(drop)
        self.layers = nn.ModuleList([Attending(width, HEADS, drop) for _ in range(layers)])
        self.norm = nn.LayerNorm(width)
        self.sounds = nn.Linear(width, len(SOUNDS))

    def forward(self, long: Tensor, short: Tensor, low: Tensor, more: Tensor, there: Tensor) -> Tensor:
        batch, count = there.shape
        rows = there.reshape(-1)
        x, y, z = (one.reshape(batch * count, *one.shape[2:])[rows] for one in (long, short, low))
        for layer in self.long:
            x = torch.relu(layer(x))
        for layer in self.short:
            y = torch.relu(layer(y))
        parts = [self.from_long(x.flatten(1)), self.from_short(y.flatten(1)), self.from_low(z.flatten(1))]
        token = self.drop(torch.relu(torch.cat([*parts], 1)))
        token = self.join(torch.cat([token, more.reshape(batch * count, -1)[rows]], 1))
        full = torch.zeros(batch * count, token.shape[1], dtype=token.dtype)
        full[rows] = token
        x = full.reshape(batch, count, -1)
        for layer in self.layers:
            x = layer(x, there)
        x = self.norm(x)
        return self.sounds(x)
