"""What pipelines of estimators ask of a preparation, by the conventions of scikit-learn, which need not be there."""

from __future__ import annotations

import sys
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from ..errors import NotFittedError, OptionError, PreparationError, did_you_mean
from .fitted import Fitted
from .operation import Operation
from .operation_list import PARAMETERS, RETURNS, OperationList
from .operations import operation_of


class Estimator(OperationList):
    """Operations with parameters to search, names of columns, and what is known once they are fitted."""

    @property
    def is_fitted(self) -> bool:
        """Whether it can be applied."""
        return self._fitted is not None

    def __sklearn_is_fitted__(self) -> bool:
        return self.is_fitted

    @property
    def named(self) -> dict[str, Operation]:
        """The operations by name, the second fill as ``fill_2``."""
        out: dict[str, Operation] = {}
        for operation in self._steps:
            nth = sum(o.name == operation.name for o in out.values()) + 1
            out[operation.name if nth == 1 else f"{operation.name}_{nth}"] = operation
        return out

    def get_params(self, deep: bool = True) -> dict[str, Any]:
        """Return what it was made with; deep, also each operation's options, such as ``fill__using``."""
        given = {n: getattr(self, n) for n in PARAMETERS}
        if deep:
            given |= {f"{n}__{k}": v for n, o in self.named.items() for k, v in o.options.items()}
        return given

    def set_params(self, **params: Any) -> Self:
        """Change what it was made with, and return it; what it learned is forgotten.

        Options of operations are named as in ``get_params``: ``fill__using="mean"`` of the first, ``fill_2__using``
        of the second. Values are checked when it is fitted.

        Raises
        ------
        OptionError
            There is no such parameter.
        """
        known = self.get_params(deep=any("__" in n for n in params))
        for name in params:
            if name not in known:
                raise OptionError(f"A preparation has no parameter {name!r}.{did_you_mean(name, known)}")
        for name in (n for n in PARAMETERS if n in params):
            setattr(self, name, params[name])
        deep = {n: v for n, v in params.items() if "__" in n}
        if deep:
            self.operations = tuple(
                operation_of({**o.to_dict(), **{k: deep[f"{n}__{k}"] for k in o.options if f"{n}__{k}" in deep}})
                for n, o in self.named.items()
            )
        if set(params) - {"returns"}:
            self._fitted = None
        return self

    def set_output(self, *, transform: str | None = None) -> Self:
        """Say what `transform` returns: "pandas", "polars", "arrow", or "default".

        By default an array comes back for an array and a data frame of pandas for all else.

        Raises
        ------
        OptionError
        """
        if transform is not None:
            if transform not in ("default", *RETURNS):
                raise OptionError(f"No returns {transform!r}.{did_you_mean(str(transform), ('default', *RETURNS))}")
            self.set_params(returns=None if transform == "default" else transform)
        return self

    @property
    def n_features_in_(self) -> int:
        """How many columns the training rows had."""
        return len(self._known().columns)

    @property
    def feature_names_in_(self) -> NDArray[np.object_]:
        """What the columns of the training rows are called, where they have names.

        Raises
        ------
        NotFittedError
        """
        names = list(self._known().columns)
        if names == [str(i) for i in range(len(names))]:
            raise NotFittedError("The training rows came without names of columns.")
        return np.array(names, dtype=object)

    def get_feature_names_out(self, input_features: Any = None) -> NDArray[np.object_]:
        """Return the names of the columns that come out, in order.

        Parameters
        ----------
        input_features
            Names of the columns of the training rows, which are checked.

        Raises
        ------
        NotFittedError
        PreparationError
            They are others.
        """
        fitted = self._known()
        if input_features is not None:
            given, known = [str(n) for n in input_features], list(fitted.columns)
            if len(given) != len(known):
                raise PreparationError(f"input_features should have length equal to number of features ({len(known)}).")
            if hasattr(self, "feature_names_in_") and given != known:
                raise PreparationError("input_features is not equal to feature_names_in_.")
        return np.array(fitted.features, dtype=object)

    def __sklearn_tags__(self) -> Any:
        utils = sys.modules["sklearn.utils"]  # who asks has it
        return utils.Tags(
            estimator_type=None,
            target_tags=utils.TargetTags(required=any(o.needs_outcome for o in self._steps)),
            transformer_tags=utils.TransformerTags(),
            input_tags=utils.InputTags(string=True, categorical=True, allow_nan=True),
        )

    def _known(self) -> Fitted:
        if self._fitted is None:
            raise NotFittedError("The preparation is not fitted: fit it on training rows first (--fit when typed).")
        return self._fitted
