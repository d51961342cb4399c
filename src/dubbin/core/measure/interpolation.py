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


def uncovered(
    x: NDArray[np.float64], recorded: NDArray[np.float64], first: int, *, order: int, width: int, weight: float, rounds: int
) -> NDArray[np.float64]:
    """The samples (m,) of the sound that lie under noise added to it, such as a click: as much of what was `recorded` (m,) as is not noise, the rest from the model.

    x: (frames,) the sound around, with a first guess from index `first` on (`drawn`). The noise has no colour, and a power of its own at every instant, smoothed over `width` samples;
    sound and power are estimated in turn in so many `rounds`, the model counting by `weight` more than the recorded. Where the noise is far above the sound this is `drawn`.
    Source: Godsill and Rayner, "Statistical reconstruction and analysis of autoregressive signals in impulsive noise using the Gibbs sampler",
    IEEE TSAP 1998; here with expectation and maximisation in place of samples.
    """
    from dubbin.core.measure.interpolation_kernels import uncover

    return np.asarray(uncover(x, recorded, first, order, width, weight, rounds))
