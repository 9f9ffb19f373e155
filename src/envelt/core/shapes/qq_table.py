"""Pointwise levels of the simultaneous 95 % band of a Q–Q plot: benchmarks/simulated_tables.py."""

import numpy as np

LOG_SIZES = np.log([8, 10, 12, 15, 20, 25, 30, 40, 50, 75, 100, 150, 200, 300, 500, 1000, 2000, 5000])
LEVELS = np.array(
    [
        2.463e-05,
        1.501e-05,
        7.761e-05,
        0.0001249,
        0.0002165,
        0.0001985,
        0.0003412,
        0.0005195,
        0.000556,
        0.0007053,
        0.0007605,
        0.0007486,
        0.0007492,
        0.0007006,
        0.0006028,
        0.0004643,
        0.0003918,
        0.0003481,
    ]
)
