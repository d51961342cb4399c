"""The sound of a room: image sources of a shoebox.

Source: Allen and Berkley, "Image method for efficiently simulating small-room acoustics", JASA 65(4), 1979.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

SPEED_OF_SOUND = 343.0  # m/s


def room_response(
    rate: int,
    rt60_s: float,
    size_m: tuple[float, float, float],
    speaker_m: tuple[float, float, float],
    microphone_m: tuple[float, float, float],
    seed: int = 0,
) -> NDArray[np.float64]:
    """Impulse response (n,) with the direct sound at its true delay and an amplitude of 1.

    rt60_s sets the walls' absorption by Eyring's formula. Image positions are jittered by a few
    centimetres, since exact shoeboxes ring as no kitchen does.
    """
    size, speaker, microphone = (np.array(v, float) for v in (size_m, speaker_m, microphone_m))
    volume = float(np.prod(size))
    surface = 2 * (size[0] * size[1] + size[1] * size[2] + size[0] * size[2])
    reflection = np.sqrt(np.exp(-0.161 * volume / (surface * rt60_s)))
    length_s = rt60_s * 1.2
    reach = np.ceil(length_s * SPEED_OF_SOUND / (2 * size)).astype(int)
    rng = np.random.default_rng(seed)
    n = np.stack(np.meshgrid(*(np.arange(-r, r + 1) for r in reach), indexing="ij"), -1).reshape(-1, 3)
    response = np.zeros(int(length_s * rate) + 64)
    for p in np.ndindex(2, 2, 2):
        mirror = np.array(p)
        images = (1 - 2 * mirror) * speaker + 2 * n * size
        bounces = np.abs(2 * n - mirror).sum(axis=1)
        jitter = rng.normal(0.0, 0.03, images.shape) * (bounces > 1)[:, None]
        distance = np.linalg.norm(images + jitter - microphone, axis=1)
        place = distance / SPEED_OF_SOUND * rate
        keep = place < len(response) - 2
        whole = place[keep].astype(int)
        share = place[keep] - whole
        amplitude = reflection ** bounces[keep] / np.maximum(distance[keep], 0.1)
        response += np.bincount(whole, amplitude * (1 - share), len(response))
        response += np.bincount(whole + 1, amplitude * share, len(response))
    direct = np.linalg.norm(speaker - microphone)
    # Images all add up in phase at 0 Hz; a wall doesn't reflect that.
    high_pass = scipy.signal.butter(2, 60.0, "highpass", fs=rate, output="sos")
    return np.asarray(scipy.signal.sosfilt(high_pass, response * direct))
