"""Learns the network of `core/speech/two_at_once.py` from what `examples.py` made. Needs PyTorch (Debian's python3-torch will do); the program doesn't.

    python3 training/overlap/learn.py OUT.npz EXAMPLES.npz ... --judged JUDGED.npz --minutes 25

What is written is the running mean of the weights (Polyak and Juditsky, "Acceleration of stochastic approximation by averaging", 1992).
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

# As core/speech/two_at_once.py takes them, which this does not import: it runs on another Python.
SIZE, WIDTH, DILATIONS, SLOPE = 384, 64, (1, 2, 4, 8, 16), 0.2
BATCH, RATE, DECAY, MEAN_OVER = 24, 1e-3, 5e-2, 0.99
UNSEEN, FORGOTTEN = 0.3, 0.3  # shares of what the network is given, and of what a layer hands on, that are left out while learning


class TwoAtOnce(nn.Module):
    def __init__(self) -> None:
        super().__init__()
        self.first = nn.Conv1d(SIZE, WIDTH, 1)
        self.layers = nn.ModuleList(nn.Conv1d(WIDTH, WIDTH, 3, padding=d, dilation=d) for d in DILATIONS)
        self.last = nn.Conv1d(WIDTH, 1, 1)
        with torch.no_grad():
            for layer in self.layers:
                layer.weight *= 0.5
            self.last.bias -= 1.5

    def forward(self, x: torch.Tensor) -> torch.Tensor:
        """x: (clips, frames, SIZE) -> (clips, frames), log odds."""
        h = nn.functional.leaky_relu(self.first(nn.functional.dropout(x.transpose(1, 2), UNSEEN, self.training)), SLOPE)
        for layer in self.layers:
            h = h + nn.functional.dropout(nn.functional.leaky_relu(layer(h), SLOPE), FORGOTTEN, self.training)
        return self.last(h)[:, 0]


def loss_of(y: torch.Tensor, truth: torch.Tensor) -> torch.Tensor:
    known = (truth >= 0).float()
    each = nn.functional.binary_cross_entropy_with_logits(y, truth.clamp(min=0).float(), reduction="none")
    return (each * known).sum() / known.sum()


def figures(net: TwoAtOnce, x: np.ndarray, truth: np.ndarray) -> str:
    """Loss, area under the curve, and recall where nine and eight of ten frames that are told are right."""
    net.eval()
    with torch.no_grad():
        y = np.concatenate([net(torch.from_numpy(x[k : k + 20])).numpy() for k in range(0, len(x), 20)])
    loss = loss_of(torch.from_numpy(y), torch.from_numpy(truth)).item()
    known = truth >= 0
    score, wanted = y[known], truth[known] > 0
    order = np.argsort(-score)
    hits = np.cumsum(wanted[order])
    precision, recall = hits / np.arange(1, len(hits) + 1), hits / wanted.sum()
    ranks = np.empty(len(score))
    ranks[np.argsort(score)] = np.arange(1, len(score) + 1)
    area = (ranks[wanted].sum() - wanted.sum() * (wanted.sum() + 1) / 2) / (wanted.sum() * (~wanted).sum())
    at = {p: recall[precision >= p].max() if np.any(precision >= p) else 0.0 for p in (0.9, 0.8)}
    return f"loss {loss:.4f}, area {area:.3f}, recall at precision .9 and .8: {at[0.9]:.2f}, {at[0.8]:.2f}"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("out", type=Path)
    parser.add_argument("examples", type=Path, nargs="+")
    parser.add_argument("--judged", type=Path, required=True)
    parser.add_argument("--minutes", type=float, default=25)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--threads", type=int, default=1)
    given = parser.parse_args()
    torch.set_num_threads(given.threads)
    torch.manual_seed(given.seed)
    rng = np.random.default_rng(given.seed)
    stored = [np.load(path) for path in given.examples]
    heard, truth = (np.concatenate([s[name] for s in stored]) for name in ("heard", "truth"))
    some = heard[::10].astype(np.float32)
    middle, scale = some.mean((0, 1)), (1 / (some.std((0, 1)) + 1e-3)).astype(np.float16).astype(np.float32)
    middle = middle.astype(np.float16).astype(np.float32)
    judged = np.load(given.judged)
    strange = (judged["heard"].astype(np.float32) - middle) * scale, judged["truth"]
    net = TwoAtOnce()
    mean_net = copy.deepcopy(net)
    print(f"{len(heard)} clips, {sum(p.numel() for p in net.parameters())} weights", flush=True)
    optimiser = torch.optim.AdamW(net.parameters(), RATE, weight_decay=DECAY)
    start, step, mean = time.monotonic(), 0, 0.0
    while (gone := (time.monotonic() - start) / 60 / given.minutes) < 1:
        for group in optimiser.param_groups:
            group["lr"] = RATE * min(1.0, (step + 1) / 100) * (0.01 + 0.99 * 0.5 * (1 + np.cos(np.pi * gone)))
        some = rng.integers(len(heard), size=BATCH)
        x = (heard[some].astype(np.float32) - middle) * scale
        net.train()
        loss = loss_of(net(torch.from_numpy(x)), torch.from_numpy(truth[some]))
        descend(loss, net, optimiser)
        follow(mean_net, net, min(MEAN_OVER, step / (step + 10)))
        mean = 0.98 * mean + 0.02 * loss.item() if step else loss.item()
        step += 1
        if step % 100 == 0:
            print(f"{step} steps, {gone:.0%}: {mean:.4f}; voices not learnt from: {figures(mean_net, *strange)}", flush=True)
            write(mean_net, middle, scale, given.out)
    print(f"{step} steps: {figures(mean_net, *strange)}")
    write(mean_net, middle, scale, given.out)


def write(net: TwoAtOnce, middle: np.ndarray, scale: np.ndarray, out: Path) -> None:
    """Weights as `two_at_once.py` takes them, in half precision."""
    stored = {"mean": middle, "scale": scale}
    for name, layer in {"in": net.first, "out": net.last, **{str(k): layer for k, layer in enumerate(net.layers)}}.items():
        weight = layer.weight.detach().numpy()  # (to, from, 3 or 1)
        stored[f"{name}.weight"] = weight.transpose(2, 1, 0).reshape(-1, weight.shape[0])
        stored[f"{name}.bias"] = layer.bias.detach().numpy()
    np.savez(out, **{name: value.astype(np.float16) for name, value in stored.items()})


if __name__ == "__main__":
    main()
