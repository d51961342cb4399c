"""Missing samples drawn from their surroundings: those that an autoregressive model of the sound predicts best.

Source: Janssen, Veldhuis and Vries, "Adaptive interpolation of discrete-time signals that can be modeled as autoregressive
processes", IEEE TASSP 1986; a sample may be known to lie beyond a bound, as a clipped one does.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

FREE = -np.inf  # as a bound: nothing is known of the sample


def drawn(
    x: NDArray[np.float64],
    unknown: NDArray[np.int64],
    sign: NDArray[np.float64],
    bound: NDArray[np.float64],
    *,
    order: int,
    passes: int,
) -> NDArray[np.float64]:
    """The samples of x (frames,) at the indices `unknown`, ascending.

    sign, bound: each sample times its sign (1 or -1) comes out at or above its bound; FREE for no bound. What x holds at
    those places is where the model's first fit starts from. The model has `order` coefficients and is fitted again in each
    of `passes`. x itself stays as it is; it should be several times as long as the order.
    """
    from dubbin.core.measure.interpolation_kernels import draw

    return np.asarray(draw(x.copy(), unknown, sign, bound, order, passes))
