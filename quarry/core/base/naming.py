"""Names that run on: what several things alike are called."""

from __future__ import annotations

import re


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
