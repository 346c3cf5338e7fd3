"""Where a sequence of atoms (pilot cycles, or short blocks of a steady level) changes for good.

One method for both: local steps first (they find a drop-out of two atoms in half a million), then slow drift by
cumulative sums, then pieces that turn out alike are joined again.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np

from gladwire.core.signal.robust import median, robust_sigma
from gladwire.core.signal.waveform import Floats


class Feature(NamedTuple):
    """One measured property of every atom.

    values: shape (n,). step: smallest jump between neighbours that counts. drift: smallest slow change that counts.
    """

    values: Floats
    step: float
    drift: float


class Piece(NamedTuple):
    """Atoms first..end-1."""

    first: int
    end: int


def split(features: Sequence[Feature], shortest_drift: int) -> list[Piece]:
    """Pieces that cover all atoms in order. shortest_drift: atoms below which no slow change is looked for."""
    n = len(features[0].values)
    if n == 0:
        return []
    stepped = np.zeros(max(n - 1, 0), bool)
    for feature in features:
        jumps = np.abs(np.diff(feature.values))
        # Six sigma of the usual jump between neighbours, so noise alone makes no boundary.
        stepped |= jumps > max(feature.step, 6.0 * _usual_jump(jumps))
    bounds = [0, *(np.flatnonzero(stepped) + 1).tolist(), n]
    pieces = [Piece(a, b) for a, b in itertools.pairwise(bounds)]
    drifted = [part for piece in pieces for part in _split_drift(features, piece, shortest_drift, depth=12)]
    return drifted


def _usual_jump(jumps: Floats) -> float:
    return float(1.4826 * np.median(jumps)) if len(jumps) else 0.0


def _split_drift(features: Sequence[Feature], piece: Piece, shortest: int, depth: int) -> list[Piece]:
    n = piece.end - piece.first
    if depth == 0 or n < 2 * shortest:
        return [piece]
    end_share = max(shortest // 2, n // 10)
    for feature in features:
        values = feature.values[piece.first : piece.end]
        change = abs(median(values[-end_share:]) - median(values[:end_share]))
        noise = 4.0 * robust_sigma(np.diff(values[:: max(1, n // 4096)])) / np.sqrt(end_share)
        if change > max(feature.drift, noise):
            at = piece.first + _best_cut(values, shortest)
            left, right = Piece(piece.first, at), Piece(at, piece.end)
            return [p for half in (left, right) for p in _split_drift(features, half, shortest, depth - 1)]
    return [piece]


def _best_cut(values: Floats, shortest: int) -> int:
    """The cut that separates the means best (largest cumulative-sum statistic)."""
    n = len(values)
    k = np.arange(1, n)
    left = np.cumsum(values)[:-1]
    total = left[-1] + values[-1]
    strength = (left / k - (total - left) / (n - k)) ** 2 * k * (n - k)
    strength[: shortest // 2] = 0.0
    strength[n - 1 - shortest // 2 :] = 0.0
    return int(np.argmax(strength)) + 1


def join(pieces: Sequence[Piece], alike: Callable[[Piece, Piece], bool]) -> list[Piece]:
    """Neighbours that are alike become one."""
    joined: list[Piece] = []
    for piece in pieces:
        if joined and alike(joined[-1], piece):
            joined[-1] = Piece(joined[-1].first, piece.end)
        else:
            joined.append(piece)
    return joined


def absorb_single(pieces: Sequence[Piece], alike: Callable[[Piece, Piece], bool]) -> tuple[list[Piece], list[Piece]]:
    """One-atom pieces go to a neighbour: (remaining pieces, those single atoms that interrupted two like ones).

    An atom during which the state changed shows a level of neither side; it is no state of its own.
    """
    kept: list[Piece] = []
    interruptions: list[Piece] = []
    for index, piece in enumerate(pieces):
        after = pieces[index + 1] if index + 1 < len(pieces) else None
        if piece.end - piece.first > 1 or len(pieces) == 1:
            kept.append(piece)
            continue
        if kept and after and after.end - after.first > 1 and alike(kept[-1], after):
            interruptions.append(piece)
        if kept:
            kept[-1] = Piece(kept[-1].first, piece.end)
        elif after:
            kept.append(piece)
    if len(kept) > 1 and kept[0].end - kept[0].first == 1:
        kept[:2] = [Piece(kept[0].first, kept[1].end)]
    return kept, interruptions
