"""Which picture of a distribution is drawn where none was asked for."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..words import plural

FEW_DOTS = 60
"""So few rows in the smallest group are shown one by one."""
MOST_IN_LINE = 6
"""Groups whose histograms stand one above the other."""
MOST_AS_ROWS = 30
ENOUGH_FOR_BOX = 20
MOST_DENSITIES = 200
NAMED = 400


def chosen_picture(asked: str, n: NDArray[np.integer], two_peaks: bool = False, dates: bool = False) -> tuple[str, str]:
    """Choose a picture by rows and groups, and say why in one line; what was asked for wins."""
    if asked != "auto":
        return asked, ""
    groups, least = len(n), int(n.min()) if len(n) else 0
    if dates:
        return "histogram", "histogram: dates, by a unit of the calendar"
    if int(n.sum()) <= FEW_DOTS * max(groups, 1) and groups <= MOST_AS_ROWS:
        return "dots", f"dots: with {plural(int(n.sum()), 'row')} every one can be seen"
    if groups == 1:
        return "histogram", f"histogram: {plural(int(n.sum()), 'row')} of one group, too many to see one by one"
    if groups <= MOST_IN_LINE:
        return "histogram", f"histograms in line: {plural(groups, 'group')} on one axis"
    if least < ENOUGH_FOR_BOX or groups > MOST_AS_ROWS:
        why = f"the smallest has {plural(least, 'row')}" if groups <= MOST_AS_ROWS else "too many for boxes"
        return "interval", f"means with intervals: {plural(groups, 'group')}, {why}"
    if two_peaks:
        return "violin", f"violins: {plural(groups, 'group')}, and a box would hide the second peak"
    return "box", f"boxes: {plural(groups, 'group')}, too many for histograms in line"
