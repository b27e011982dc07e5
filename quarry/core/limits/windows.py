"""Hours in which it is a go: verdicts along a day made into spans, and the next window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quarry.core.limits.verdict import Verdict, Word


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of the day under one verdict; ``reasons`` are those of its worst hour."""

    start_s: float
    end_s: float
    word: Word
    reasons: tuple[str, ...]


def spans(at_s: Sequence[float], verdicts: Sequence[Verdict], until_s: float) -> list[Span]:
    """Return spans of equal verdict; each verdict holds from its time to the next, the last until ``until_s``.

    Spans of one verdict are joined even if their reasons differ; the reasons of all are kept in order.
    """
    found: list[Span] = []
    for k, (t, v) in enumerate(zip(at_s, verdicts, strict=True)):
        end = at_s[k + 1] if k + 1 < len(at_s) else until_s
        if end <= t:
            continue
        reasons = tuple(r.reason for r in v.deciding)
        last = found[-1] if found else None
        if last is not None and last.word == v.word and abs(last.end_s - t) < 1e-6:
            found[-1] = Span(last.start_s, end, v.word, tuple(dict.fromkeys(last.reasons + reasons)))
        else:
            found.append(Span(t, end, v.word, reasons))
    return found


def open_windows(found: Sequence[Span], opens_s: float, closes_s: float) -> list[tuple[float, float]]:
    """Return the stretches between two times in which it is a go or a go with care, joined where they touch."""
    windows: list[tuple[float, float]] = []
    for s in found:
        a, b = max(s.start_s, opens_s), min(s.end_s, closes_s)
        if s.word == "no" or b <= a:
            continue
        if windows and abs(windows[-1][1] - a) < 1e-6:
            windows[-1] = (windows[-1][0], b)
        else:
            windows.append((a, b))
    return windows


def common(a: Sequence[tuple[float, float]], b: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return where two lists of windows overlap."""
    found = [(max(x, u), min(y, v)) for x, y in a for u, v in b]
    return sorted((x, y) for x, y in found if y > x)


def next_window(found: Sequence[Span], now_s: float, at_least_s: float = 0.0) -> tuple[float, float] | None:
    """Return the next stretch, from now on, in which it is a go or a go with care for so long; None if none comes."""
    last = max((s.end_s for s in found), default=now_s)
    for a, b in open_windows(found, now_s, last):
        if b - a >= at_least_s:
            return a, b
    return None
