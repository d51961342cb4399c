"""The compiled part of `word_edges`: the likeliest course through the parts of a phrase."""

from __future__ import annotations

import numpy as np

from dubbin.core.kernel import F64, I64, Bools, inlined, kernel


@inlined()
def states_at(word_of: I64, low: I64, high: I64, steps: int) -> tuple[I64, I64]:
    """The first and the last state (steps,) that may stand at each step; where none may, the last comes before the first. A gap follows the word before it and ends
    before the one behind it does."""
    states = len(word_of)
    begins, ends = low.copy(), high.copy()
    for s in range(states):
        if word_of[s] < 0:
            begins[s] = low[s - 1] if s > 0 else 0
            ends[s] = high[s + 1] if s + 1 < states else steps
    for s in range(states - 2, -1, -1):
        begins[s] = min(begins[s], begins[s + 1])
    for s in range(1, states):
        ends[s] = max(ends[s], ends[s - 1])
    first, last = np.empty(steps, np.int64), np.empty(steps, np.int64)
    a, b = 0, -1
    for t in range(steps):
        while b + 1 < states and begins[b + 1] <= t:
            b += 1
        while a < states and ends[a] <= t:
            a += 1
        first[t], last[t] = a, b
    return first, last


@kernel()
def best_path(
    scores: F64,
    unit_of: I64,
    word_of: I64,
    opens: Bools,
    low: I64,
    high: I64,
    prior: F64,
    spread: float,
    bend: float,
    stay: float,
    gap_entry: float,
) -> I64:
    """The state (steps,) at every step of the likeliest course; all -1 where there is none. A gap between words may be passed over.

    scores: (steps, units) log likelihood. unit_of, word_of, opens: (states,) of each state its unit, its word (-1: a gap), and whether it is a word's first.
    low, high: (states,) steps between which it may stand. prior: (states,) step at which a word is thought to begin; spread: steps that this is unsure by; from
    `bend` times that on the penalty grows straight. stay, gap_entry: log likelihoods of staying, and of entering a gap."""
    steps, states = scores.shape[0], len(unit_of)
    nothing = -1e30
    first, last = states_at(word_of, low, high, steps)
    before, now = np.full(states, nothing), np.full(states, nothing)
    # Only states that may stand at a step are looked at: of minutes without a pause all of them would take hours of work and gigabytes.
    back = np.zeros((steps, max(int(np.max(last - first)) + 1, 1)), np.int8)
    for t in range(steps):
        for s in range(first[t], last[t] + 1):
            best, come = nothing, 0
            if t == 0:
                if s == 0 or s == 1:
                    best = 0.0
            else:
                best = before[s] + stay
                if s >= 1 and before[s - 1] > best:
                    best, come = before[s - 1], 1
                # From the last letter of a word to the first of the next, the gap between left out.
                if s >= 2 and word_of[s - 1] < 0 and before[s - 2] > best:
                    best, come = before[s - 2], 2
            if come > 0 or t == 0:
                if opens[s]:
                    # Squared near the estimate, straight further off: some estimates are quite wrong.
                    off = abs(t - prior[s]) / spread
                    best -= 0.5 * off * off if off < bend else bend * (off - 0.5 * bend)
                elif word_of[s] < 0 and t > 0:
                    best += gap_entry
            if word_of[s] >= 0 and (t < low[s] or t >= high[s]):
                best = nothing
            now[s] = best + scores[t, unit_of[s]] if best > nothing / 2 else nothing
            back[t, s - first[t]] = come
        for s in range(first[max(t - 1, 0)], first[t]):
            before[s] = nothing
        for s in range(first[t], last[t] + 1):
            before[s] = now[s]
    path = np.full(steps, -1, np.int64)
    s = states - 1
    if states >= 2 and before[states - 2] > before[s]:
        s = states - 2
    if before[s] <= nothing / 2:
        return path
    for t in range(steps - 1, -1, -1):
        path[t] = s
        s -= back[t, s - first[t]]
    return path
