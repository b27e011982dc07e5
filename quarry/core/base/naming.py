"""Names: how those of several things alike run on, and how long ones are said where there is little room."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable


def running_names(first: str, count: int) -> list[str]:
    """Return the names of several things alike, the first as given, the last number in it running on in its width.

    Examples
    --------
    >>> running_names("P08", 3)
    ['P08', 'P09', 'P10']
    >>> running_names("Field pack 9b", 2)
    ['Field pack 9b', 'Field pack 10b']
    >>> running_names("Heron", 2)
    ['Heron', 'Heron 2']
    """
    found = re.match(r"^(.*?)(\d+)(\D*)$", first, flags=re.S)
    if found is None:
        return [first, *(f"{first} {k}" for k in range(2, count + 1))]
    before, number, after = found.groups()
    return [f"{before}{int(number) + k:0{len(number)}d}{after}" for k in range(count)]


def short_names(names: Iterable[str], most: int = 6) -> dict[str, str]:
    """Return for each name what it is called where there is little room: all differ, none is longer than ``most``.

    A name that is short enough stays. Of the others what all have in common goes first, then the words to their initials,
    then all but the end; where even that does not tell them apart they are numbered.

    Examples
    --------
    >>> short_names(["Field-Pack-North-0012", "Field-Pack-North-0013", "07"])
    {'Field-Pack-North-0012': '0012', 'Field-Pack-North-0013': '0013', '07': '07'}
    >>> short_names(["Harbour Heron 3"])
    {'Harbour Heron 3': 'HH3'}
    """
    all_names = list(dict.fromkeys(names))
    found = {n: n for n in all_names if len(n) <= most}
    left = [n for n in all_names if len(n) > most]
    ways = [_without_common(left), {n: _initials(n) for n in left}, {n: f"…{n[1 - most :]}" for n in left}]
    for way in ways:
        counts = Counter(way.values())
        taken = set(found.values())
        for n in list(left):
            short = way[n]
            if short and len(short) <= most and counts[short] == 1 and short not in taken:
                found[n] = short
                left.remove(n)
    number = 1
    for n in left:
        while f"#{number}" in found.values():
            number += 1
        found[n] = f"#{number}"
    return {n: found[n] for n in all_names}


def _initials(name: str) -> str:
    """Return the first letters of the words of a name, and its numbers whole."""
    return "".join(part if part.isdigit() else part[0] for part in re.findall(r"\d+|[^\W\d_]+", name))


def _without_common(names: list[str]) -> dict[str, str]:
    """Return names without what all of them begin and end with; digits are not torn."""
    if len(names) < 2:
        return dict.fromkeys(names, "")
    head = _common(names)
    while head and head[-1].isdigit():
        head = head[:-1]
    rest = [n[len(head) :] for n in names]
    tail = _common([n[::-1] for n in rest])
    while tail and tail[-1].isdigit():
        tail = tail[:-1]
    return {n: r[: len(r) - len(tail)].strip(" -_.") for n, r in zip(names, rest, strict=True)}


def _common(names: list[str]) -> str:
    first, last = min(names), max(names)
    length = next((k for k, (a, b) in enumerate(zip(first, last, strict=False)) if a != b), min(len(first), len(last)))
    return first[:length]
