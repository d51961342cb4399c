"""What the networks here share while they learn. Needs PyTorch."""

from __future__ import annotations

import torch
from torch import nn

STEEPEST = 1.0  # norm to which a steeper gradient is brought


def descend(loss: torch.Tensor, net: nn.Module, optimiser: torch.optim.Optimizer) -> None:
    """A step down from a loss."""
    optimiser.zero_grad()
    loss.backward()
    nn.utils.clip_grad_norm_(net.parameters(), STEEPEST)
    optimiser.step()


def follow(mean_net: nn.Module, net: nn.Module, share: float) -> None:
    """Bring a running mean of weights on by a step (Polyak and Juditsky, 1992). share: of the mean that stays."""
    with torch.no_grad():
        for mean, one in zip(mean_net.parameters(), net.parameters(), strict=True):
            mean.mul_(share).add_(one, alpha=1 - share)
