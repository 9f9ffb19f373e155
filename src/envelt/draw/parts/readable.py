"""Texts of a picture that can be read: no characters that control or turn, and a letter for each that a font has."""

from __future__ import annotations

import unicodedata
from functools import lru_cache
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.axis import Axis
    from matplotlib.figure import Figure
    from matplotlib.text import Text

FONT = "DejaVu Sans"
NO_FONTS = ("Emoji", "Last Resort")
"""Fonts of coloured pictures, which are not drawn, and of boxes that stand for any letter."""
NO_LETTER = "\ufffd"
"""Stands for a letter that no font of the machine has."""


def cleaned(text: str) -> str:
    """Return a text without characters that control a terminal, turn its direction or cannot be in a file of text."""
    if text.isascii() and text.isprintable():
        return text
    return "".join(c for c in text if c == "\n" or unicodedata.category(c) not in ("Cc", "Cf", "Cs", "Zl", "Zp"))


def make_readable(drawn: Figure | Axes) -> None:
    """Clean all texts of a figure or of axes, in fonts of the machine that have their letters."""
    from matplotlib.figure import Figure
    from matplotlib.ticker import FixedLocator

    texts: list[Text] = []
    if isinstance(drawn, Figure):
        texts += drawn.texts
    for axes in drawn.axes if isinstance(drawn, Figure) else [drawn]:
        for axis in (axes.xaxis, axes.yaxis):
            texts.append(axis.label)
            if isinstance(axis.get_major_locator(), FixedLocator):
                _make_ticks_readable(axis)
        legend = axes.get_legend()
        texts += [*axes.texts, *(legend.get_texts() if legend is not None else ())]
        texts += [getattr(axes, name) for name in ("title", "_left_title", "_right_title") if hasattr(axes, name)]
    for text in texts:
        whole = text.get_text()
        if not _is_plain(whole):
            text.set_text(_written(whole))
            _dress(text, whole)


def _make_ticks_readable(axis: Axis) -> None:
    labels = axis.get_ticklabels()
    texts = [t.get_text() for t in labels]
    if not all(map(_is_plain, texts)):
        axis.set_ticklabels([_written(t) for t in texts])
        for label, text in zip(axis.get_ticklabels(), texts, strict=False):
            _dress(label, text)


def _is_plain(text: str) -> bool:
    return (text.isascii() and text.isprintable()) or all(c in _letters() or c == "\n" for c in text)


def _written(text: str) -> str:
    """Return a text cleaned, with the mark for letters that no font has."""
    return "".join(c if c == "\n" or c in _letters() or _font_of(c) else NO_LETTER for c in cleaned(text))


def _dress(label: Text, text: str) -> None:
    """Give a text the fonts that its letters need, after the house's own."""
    fonts = dict.fromkeys(f for c in cleaned(text) if c not in _letters() and (f := _font_of(c)))
    if fonts:
        label.set_fontfamily([FONT, *fonts])
        label.set_fontweight("normal")  # in which every font is there


@lru_cache(maxsize=1)
def _letters() -> frozenset[str]:
    """Return the letters of the house's font that are no characters of control."""
    from matplotlib.font_manager import FontProperties, findfont

    there = _charmap(findfont(FontProperties(family=FONT)))
    return frozenset(c for c in map(chr, there) if cleaned(c))


@lru_cache(maxsize=256)
def _charmap(path: str) -> frozenset[int]:
    from matplotlib.ft2font import FT2Font

    try:
        return frozenset(FT2Font(path).get_charmap())
    except (OSError, RuntimeError):  # a font that cannot be read is none
        return frozenset()


@lru_cache(maxsize=4096)
def _font_of(letter: str) -> str:
    """Return the name of a font of the machine that has a letter; empty where none has."""
    from matplotlib.font_manager import fontManager

    real: list[Any] = [f for f in fontManager.ttflist if f.style == "normal" and not any(n in f.name for n in NO_FONTS)]
    for font in sorted(real, key=lambda f: ("Sans" not in f.name, f.name)):
        if ord(letter) in _charmap(font.fname):
            return str(font.name)
    return ""
