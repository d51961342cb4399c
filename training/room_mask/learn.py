"""Learns the network of `core/treat/room_mask.py` from what `pairs.py` made. Needs PyTorch (Debian's python3-torch will do); the program doesn't.

    python3 training/room_mask/learn.py PAIRS OUT.npz --minutes 13 --loss bands
    python3 training/room_mask/learn.py PAIRS OUT.npz --minutes 36 --loss heard --begin OUT.npz

It learns at its place: what is judged is the mean of its gain and of the room's decay, as `dereverb` takes it, not its gain alone. What is written is the running mean of
the weights (Polyak and Juditsky, "Acceleration of stochastic approximation by averaging", 1992), which remembers less of the last clips by heart.

Losses: `bands`, the difference of band magnitudes to the power 0.4 from the same talk close by; `heard`, differences of loudness as PESQ counts them, in which echo that is
left in quiet bands weighs most (ITU-T P.862, 10.2.9 to 10.2.11, without its search for delays and its filters); `followed`, the same, and how well the course of each
band follows that of the talk close by, as STOI counts it (Taal, Hendriks, Heusdens and Jensen, "An algorithm for intelligibility prediction of time-frequency weighted noisy
speech", IEEE TASLP 2011).
"""

from __future__ import annotations

import argparse
import copy
import sys
import time
from pathlib import Path

import numpy as np
import torch
from torch import nn

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))
from descent import descend, follow

BANDS, WIDTH = 40, 128
HEARD = 4  # of the five that `pairs.py` keeps
DILATIONS = (1, 2, 4, 8, 16, 1, 2, 4, 8, 16)
SLOPE, RANGE_DB, SCALE_DB = 0.2, 80.0, 20.0
CROP, BATCH = 320, 24
POWER = 0.4
SPEECH_POWER, LOUDNESS, ADDED = 6.5, 0.23, 0.3  # exponent of ten of the level of speech, of loudness, weight of what is added
SPEECH_BANDS = slice(4, 27)  # 150 Hz to 4.3 kHz
SEGMENT, SEGMENT_HOP, SPOKEN = 24, 6, 1e-3  # frames, .4 s; power against the level of speech
FOLLOWED = 0.15  # weight of what does not follow
EDGE = slice(15, -15)  # frames of a crop that count
MEAN_OVER = 0.998  # share of the mean that stays from one step to the next
FORGOTTEN = 0.15  # share of what a layer hands on that is left out while learning


class RoomMask(nn.Module):
    def __init__(self) -> None:
        super().__init__()
        self.first = nn.Conv1d(HEARD * BANDS, WIDTH, 1)
        self.layers = nn.ModuleList(nn.Conv1d(WIDTH, WIDTH, 3, padding=d, dilation=d) for d in DILATIONS)
        self.last = nn.Conv1d(WIDTH, BANDS, 1)
        with torch.no_grad():
            for layer in self.layers:
                layer.weight *= 0.5
            self.last.bias += 1.5

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        h = nn.functional.leaky_relu(self.first(x), SLOPE)
        for layer in self.layers:
            h = h + nn.functional.dropout(nn.functional.leaky_relu(layer(h), SLOPE), FORGOTTEN, self.training)
        return torch.sigmoid(self.last(h))


def load(folder: Path, judged: bool) -> tuple[np.ndarray, np.ndarray]:
    """Levels above speech, in dB: (clips, frames, 5, BANDS) and (clips, frames, BANDS)."""
    bands, truth = [], []
    for path in sorted(folder.glob("*.npz")):
        if path.name.startswith("judged") == judged:
            with np.load(path) as some:
                bands.append((some["bands"] - some["level"][:, None, None, None]).astype(np.float16))
                truth.append((some["truth"] - some["level"][:, None, None]).astype(np.float16))
    return np.concatenate(bands), np.concatenate(truth)


def batch(bands: np.ndarray, truth: np.ndarray, rng: np.random.Generator) -> tuple[torch.Tensor, torch.Tensor]:
    """Crops, each as another microphone would have heard it, of a voice whose mouth is a little larger or smaller."""
    x, y = [], []
    for k in rng.integers(len(bands), size=BATCH):
        at = rng.integers(bands.shape[1] - CROP)
        bend = np.interp(np.arange(BANDS), np.linspace(0, BANDS - 1, 6), rng.normal(0, 3, 6)) + rng.normal(0, 2)
        moved = np.clip(np.arange(BANDS) + rng.integers(-1, 2), 0, BANDS - 1)
        x.append(bands[k, at : at + CROP, :, moved].transpose(1, 2, 0).astype(np.float32) + bend.astype(np.float32))
        y.append(truth[k, at : at + CROP, moved].T.astype(np.float32) + bend.astype(np.float32))
    return torch.from_numpy(np.stack(x)), torch.from_numpy(np.stack(y))


def inputs(bands: torch.Tensor) -> torch.Tensor:
    return (bands[:, :, :HEARD].clamp(min=-RANGE_DB) / SCALE_DB).flatten(2).transpose(1, 2).contiguous()


def loss_in_bands(net: RoomMask, bands: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    gains = net(inputs(bands)).transpose(1, 2)
    after, decay = 10 ** (bands[:, :, 1] / 20), 10 ** (bands[:, :, HEARD] / 10)
    got, wanted = (torch.sqrt(gains * decay + 1e-8) + 1e-4) ** POWER, (10 ** (truth / 20) + 1e-4) ** POWER
    off = got - torch.minimum(wanted, (after + 1e-4) ** POWER)
    return (off**2)[:, EDGE].mean()


def loss_heard(net: RoomMask, bands: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    return _heard(net(inputs(bands)).transpose(1, 2), bands, truth)


def _heard(gains: torch.Tensor, bands: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    after, decay = (10 ** (bands[:, :, k] / 10 + SPEECH_POWER) for k in (1, HEARD))
    got, wanted = gains * decay, torch.minimum(10 ** (truth / 10 + SPEECH_POWER), after)
    loud, wanted_loud = (got + 30) ** LOUDNESS, (wanted + 30) ** LOUDNESS
    off = loud - wanted_loud
    heard = (off.abs() - 0.25 * torch.minimum(loud, wanted_loud)).clamp(min=0) + 0.1 * off.abs()
    with torch.no_grad():
        added = ((got + 50) / (wanted + 50)) ** 1.2
        added = torch.where(added < 3, torch.zeros_like(added), added.clamp(max=12))
    frame = ((wanted.mean(2) + 1e5) / 1e7) ** 0.04
    both = torch.sqrt((heard**2).mean(2) + 1e-6) + ADDED * (heard * added * (off > 0)).mean(2)
    return (both / frame)[:, EDGE].mean() / 100


def loss_followed(net: RoomMask, bands: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    gains = net(inputs(bands)).transpose(1, 2)
    return _heard(gains, bands, truth) + FOLLOWED * _not_followed(gains, bands, truth)


def _not_followed(gains: torch.Tensor, bands: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    """How much the course of each band misses of following the same talk close by, 0 to 2: one less the correlation over SEGMENT frames, where somebody speaks."""
    got = torch.sqrt(gains * 10 ** (bands[:, :, HEARD] / 10) + 1e-8)[:, EDGE, SPEECH_BANDS]
    wanted = (10 ** (truth / 20))[:, EDGE, SPEECH_BANDS]
    x, y = (v.unfold(1, SEGMENT, SEGMENT_HOP) for v in (got, wanted))  # (clips, segments, bands, SEGMENT)
    spoken = (y**2).mean((2, 3)) > SPOKEN
    x, y = (v - v.mean(3, keepdim=True) for v in (x, y))
    alike = (x * y).sum(3) / torch.sqrt((x**2).sum(3) * (y**2).sum(3) + 1e-12)
    return 1 - alike[spoken].mean() if spoken.any() else gains.sum() * 0


LOSSES = {
    "bands": (loss_in_bands, 1.5e-3),
    "heard": (loss_heard, 7e-4),
    "followed": (loss_followed, 7e-4),
}  # and the highest rate of learning


def read(net: RoomMask, path: Path) -> None:
    """Take weights that `write` wrote."""
    stored = np.load(path)
    with torch.no_grad():
        for name, layer in named(net).items():
            to, frm, size = layer.weight.shape
            weight = stored[f"{name}.weight"].astype(np.float32).reshape(size, frm, to).transpose(2, 1, 0)
            layer.weight.copy_(torch.from_numpy(weight.copy()))
            layer.bias.copy_(torch.from_numpy(stored[f"{name}.bias"].astype(np.float32)))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", type=Path)
    parser.add_argument("out", type=Path)
    parser.add_argument("--minutes", type=float, default=40)
    parser.add_argument("--loss", choices=LOSSES, default="bands")
    parser.add_argument("--begin", type=Path, help="weights to go on from")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--threads", type=int, default=1)
    given = parser.parse_args()
    torch.set_num_threads(given.threads)
    torch.manual_seed(given.seed)
    rng = np.random.default_rng(given.seed)
    bands, truth = load(given.folder, False)
    judged = load(given.folder, True)
    net, (loss_of, rate) = RoomMask(), LOSSES[given.loss]
    if given.begin is not None:
        read(net, given.begin)
    mean_net = copy.deepcopy(net).eval()
    print(f"{len(bands)} clips, {sum(p.numel() for p in net.parameters())} weights", flush=True)
    optimiser = torch.optim.AdamW(net.parameters(), rate, weight_decay=1e-4)
    start, step, mean = time.monotonic(), 0, 0.0
    while (gone := (time.monotonic() - start) / 60 / given.minutes) < 1:
        for group in optimiser.param_groups:
            group["lr"] = rate * min(1.0, (step + 1) / 100) * (0.02 + 0.98 * 0.5 * (1 + np.cos(np.pi * gone)))
        loss = loss_of(net, *batch(bands, truth, rng))
        descend(loss, net, optimiser)
        follow(mean_net, net, min(MEAN_OVER, step / (step + 10)))
        mean = 0.98 * mean + 0.02 * loss.item() if step else loss.item()
        step += 1
        if step % 200 == 0:
            with torch.no_grad():
                other = np.mean(
                    [
                        loss_of(
                            mean_net,
                            torch.from_numpy(judged[0][k : k + 4].astype(np.float32)),
                            torch.from_numpy(judged[1][k : k + 4].astype(np.float32)),
                        ).item()
                        for k in range(0, len(judged[0]), 4)
                    ]
                )
            print(f"{step} steps, {gone:.0%}: {mean:.5f}, voices not learnt from {other:.5f}", flush=True)
            write(mean_net, given.out)
    write(mean_net, given.out)


def named(net: RoomMask) -> dict[str, nn.Conv1d]:
    return {"in": net.first, "out": net.last, **{str(k): layer for k, layer in enumerate(net.layers)}}


def write(net: RoomMask, out: Path) -> None:
    """Weights as `room_mask.py` takes them, in half precision."""
    stored = {}
    for name, layer in named(net).items():
        weight = layer.weight.detach().numpy()  # (to, from, 3)
        stored[f"{name}.weight"] = weight.transpose(2, 1, 0).reshape(-1, weight.shape[0]).astype(np.float16)
        stored[f"{name}.bias"] = layer.bias.detach().numpy().astype(np.float16)
    np.savez(out, **stored)


if __name__ == "__main__":
    main()
