"""Operations that put numbers on another scale: re-expressing, rescaling, binning."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ..core.columns.labels import cut_labels, number_label
from ..core.columns.raw import RawNumbers, RawWords
from ..core.finding import Finding
from ..core.magnitude import spread_of
from ..core.shapes.quantiles import sorted_quantiles
from ..core.transforms.forms import NAMES, Transform, fit_transform, why_not
from ..core.words import plural
from ..errors import OptionError, PreparationError, entry
from .numbers import QUARTILES, centre_of, present, refuse_nothing, rising
from .operation import NAME, NUMBER, Bound, Operation, Option, Options, State, Training, list_of, no_way_back, one_of
from .working import Working

Floats = NDArray[np.float64]


class Reexpress(Operation):
    """A transform, with what is fitted for it."""

    name = "reexpress"
    main = "transform"
    says = "Take a transform of numbers: a logarithm, a root, a power, normal scores."
    OPTIONS: ClassVar[Options] = {
        "transform": Option(one_of(*NAMES), "log1p", "which"),
        "outside": Option(one_of("straight", "nearest", "missing", "error"), "straight",
                          "of later values beyond the training ones: along a straight line; else as the transform has "
                          "it, and where it cannot be taken the nearest training value's; missing; error"),
    }  # fmt: skip

    def learn(self, at: Working, training: Training) -> State:
        """Learn the parameter of each column."""
        return {c: self._learn_one(at, c) for c in self.columns}

    def _learn_one(self, at: Working, name: str) -> State:
        transform = self["transform"]
        values = present(at.numbers(name, f"reexpress ({transform})"))
        refuse_nothing("reexpress", name, values)
        ends = float(values.min()), float(values.max())
        reason = why_not(transform, *ends)
        if reason:
            raise PreparationError(f"{transform} cannot be taken of {name!r}: {reason}. Choose another transform.")
        found = fit_transform(transform, values, 1.0)
        images = found.apply(np.array(ends))
        if not np.isfinite(images).all() or (images[0] == images[1] and ends[0] < ends[1]):
            raise PreparationError(f"{transform} of {name!r} leaves the range of numbers: choose another transform.")
        state: State = {"ends": list(found.ends)}
        if found.parameter == found.parameter:
            state["parameter"] = found.parameter
        if found.knots is not None:
            state["knots"] = found.knots.tolist()
        return state

    def bind(self, state: State) -> Bound:
        """Transform, and back."""
        fitted, straight = {c: self._transform(state[c]) for c in self.columns}, self["outside"] == "straight"

        def table(at: Working) -> None:
            for name, t in fitted.items():
                values = at.numbers(name, f"reexpress ({t.name})")
                inside = t.inside(values)
                if not inside.all():
                    values = self._brought_in(at, name, t, values, inside)
                at.set(name, RawNumbers(t.carried_on(values) if straight else t.apply(values)))

        def back(name: str, values: Floats) -> tuple[str, Floats] | None:
            if name not in fitted:
                return None
            images = np.asarray(values, np.float64)
            return name, fitted[name].brought_back(images) if straight else fitted[name].inverse(images)

        return Bound(table, back)

    def check_learned(self, state: State) -> None:
        """Refuse ends that fall, and scores that do."""
        for name in self.columns:
            low, high = state[name]["ends"]
            knots = state[name].get("knots")
            rising(name, "ends", [low, high], least=0.0)
            for what, row in zip(("knots", "scores"), knots or (), strict=False):
                rising(name, what, row)
            if knots is not None and (len(knots) != 2 or len(knots[0]) != len(knots[1])):
                raise PreparationError(f"The knots of {name!r} are not as many values as scores: fit it again.")

    def _transform(self, state: State) -> Transform:
        knots = np.array(state["knots"]) if "knots" in state else None
        low, high = state["ends"]
        return Transform(self["transform"], state.get("parameter", float("nan")), ends=(low, high), knots=knots)

    def _brought_in(self, at: Working, name: str, t: Transform, values: Floats, inside: NDArray[np.bool_]) -> Floats:
        beyond = ~inside
        rows, first = int(beyond.sum()), float(values[beyond][0])
        if self["outside"] == "error":
            raise _outside(name, t, rows, first)
        as_what = {
            "straight": "the straight line on which it goes on", "nearest": "the nearest training value",
        }.get(self["outside"], "missing")  # fmt: skip
        at.found.append(
            Finding(
                "outside-transform", "caution", (name,),
                f"{plural(rows, 'row')} of {name} {'lies' if rows == 1 else 'lie'} where {t.name} cannot be taken "
                f"(first {number_label(first)}): taken as {as_what}.",
                "If such values are to be expected, choose a transform that takes them: log1p, yeo_johnson.",
                {"rows": rows, "first": first},
            )
        )  # fmt: skip
        if self["outside"] == "straight":
            return values
        put = np.array([t.nearest(v) for v in values[beyond].tolist()]) if self["outside"] == "nearest" else np.nan
        values = values.copy()
        values[beyond] = put
        return values


def _outside(name: str, t: Transform, rows: int, first: float) -> PreparationError:
    return PreparationError(
        f"{t.name} cannot be taken of {plural(rows, 'row')} of {name!r} (first {number_label(first)}): declare "
        "outside='nearest' or 'missing', or choose another transform."
    )


class Rescale(Operation):
    """Numbers on a common scale."""

    name = "rescale"
    main = "using"
    says = "Put numbers on a common scale."
    OPTIONS: ClassVar[Options] = {
        "using": Option(one_of("z_score", "median_iqr", "unit_range"), "z_score",
                        "less the mean over the standard deviation (n − 1), less the median over the interquartile "
                        "range, or from 0 to 1"),
    }  # fmt: skip

    def learn(self, at: Working, training: Training) -> State:
        """Learn the centre and the width of each column; a column of one value has width 1."""
        return {c: self._learn_one(at, c) for c in self.columns}

    def check_learned(self, state: State) -> None:
        """Refuse a width that is none."""
        for name in self.columns:
            if not state[name]["width"] > 0:
                raise PreparationError(
                    f"The width of {name!r} must be above 0, not {state[name]['width']}: fit it again."
                )

    def _learn_one(self, at: Working, name: str) -> State:
        values = present(at.numbers(name, "rescale"))
        refuse_nothing("rescale", name, values)
        if self["using"] == "unit_range":
            centre, width = float(values.min()), float(values.max() - values.min())
        elif self["using"] == "median_iqr":
            q1, centre, q3 = (float(q) for q in np.quantile(values, QUARTILES))
            width = q3 - q1
        else:
            centre = centre_of("mean", values)
            width = spread_of(values, 1)
        return {"centre": centre, "width": width if width > 0 else 1.0}

    def bind(self, state: State) -> Bound:
        """Rescale, and back."""

        def table(at: Working) -> None:
            for name in self.columns:
                values = at.numbers(name, "rescale") - state[name]["centre"]
                values /= state[name]["width"]
                at.set(name, RawNumbers(values))

        def back(name: str, values: Floats) -> tuple[str, Floats] | None:
            return (name, values * state[name]["width"] + state[name]["centre"]) if name in self.columns else None

        return Bound(table, back)


class Bin(Operation):
    """Numbers become levels in order."""

    name = "bin"
    main = "using"
    says = "Cut numbers into levels, in order; a value on a cut goes right."
    OPTIONS: ClassVar[Options] = {
        "using": Option(one_of("width", "count", "cuts"), "count", "of equal width, of equally many rows, or at cuts"),
        "bins": Option({"type": "integer", "minimum": 2, "maximum": 1000}, 5, "how many, of equal width or count"),
        "cuts": Option(list_of(NUMBER), [], "the points to cut at"),
        "names": Option(list_of(NAME), [], "of the levels, one more than cuts"),
    }

    def check(self) -> None:
        """Refuse cuts that do not rise and names that do not fit them."""
        cuts, names = list(self["cuts"]), self["names"]
        if (self["using"] == "cuts") != bool(cuts):
            raise OptionError(f"bin: cuts go with {entry('using', 'cuts')}, and only with it.")
        if cuts != sorted(set(cuts)):
            raise OptionError(f"bin: cuts must rise, each above the one before, not {cuts}.")
        wanted = len(cuts) + 1 if cuts else self["bins"]
        if names and (len(names) != wanted or len(set(names)) < len(names)):
            raise OptionError(f"bin: {wanted} levels need {wanted} different names, not {len(names)}.")

    def learn(self, at: Working, training: Training) -> State:
        """Learn the cuts of each column."""
        return {c: self._learn_one(at, c) for c in self.columns}

    def check_learned(self, state: State) -> None:
        """Refuse cuts that do not rise, and levels that do not fit them."""
        for name in self.columns:
            rising(name, "cuts", state[name]["cuts"])
            if len(state[name]["levels"]) != len(state[name]["cuts"]) + 1:
                raise PreparationError(f"The levels of {name!r} must be one more than its cuts: fit it again.")

    def _learn_one(self, at: Working, name: str) -> State:
        cuts = [float(c) for c in self["cuts"]]
        if not cuts:
            values = np.sort(present(at.numbers(name, "bin")))
            refuse_nothing("bin", name, values)
            inner = np.arange(1, self["bins"]) / self["bins"]
            if self["using"] == "width":
                places = values[0] + inner * (values[-1] - values[0])
            else:
                places = sorted_quantiles(values, inner)
            cuts = [float(c) for c in np.unique(places) if values[0] < c <= values[-1]]
        names = list(self["names"])
        if len(names) != len(cuts) + 1:
            if names:
                raise PreparationError(
                    f"bin of {name!r} finds {plural(len(cuts) + 1, 'level')} where {len(names)} are named: its values "
                    "are tied. Name cuts, or leave the names out."
                )
            names = list(cut_labels(cuts)) if cuts else ["all"]
        return {"cuts": cuts, "levels": names}

    def bind(self, state: State) -> Bound:
        """Cut."""

        def table(at: Working) -> None:
            for name in self.columns:
                values = at.numbers(name, "bin")
                codes = np.searchsorted(np.array(state[name]["cuts"]), values, "right").astype(np.int32)
                codes[np.isnan(values)] = -1
                at.set(name, RawWords(codes, list(state[name]["levels"]), order=True))

        return Bound(table, no_way_back(self, "levels do not say which number they were"))
