"""Learns to tell clicks from sharp instants of voices; prints what it makes of voices that it never learnt from.

    python training/clicks/learn.py WEIGHTS.npz EXAMPLES.npz ...

Asks for scikit-learn, a tool of development only.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np
from sklearn.neural_network import MLPClassifier

from dubbin.core.measure.click_features import NAMES
from dubbin.core.measure.click_judge import FARTHEST

HIDDEN, PENALTY, PASSES = (8,), 1.0, 40  # few, and held back: the recordings are few, and what is learnt of them by heart helps nobody
# What rises by more than this above what covers it is a click; where nothing was put there is none; what lies between is taught as neither.
HEARD_DB, UNHEARD_DB = 6.0, -90.0
JUDGED = 6  # voices from this number on are kept for judging


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("weights", type=Path)
    parser.add_argument("examples", type=Path, nargs="+")
    asked = parser.parse_args()
    kept = [np.load(path) for path in asked.examples]
    x = np.concatenate([k["features"] for k in kept]).astype(np.float64)
    rises, voice, clean = (np.concatenate([k[name] for k in kept]) for name in ("rises", "voice", "clean"))
    clean_s = np.sum([k["clean_s"] for k in kept], axis=0)
    told = (rises > HEARD_DB) | (rises < UNHEARD_DB)
    is_click, learns = rises > HEARD_DB, told & (voice < JUDGED)
    mean, deviation = x[learns].mean(axis=0), x[learns].std(axis=0) + 1e-6
    z = np.clip((x - mean) / deviation, -FARTHEST, FARTHEST)
    assert z.shape[1] == len(NAMES)
    net = MLPClassifier(HIDDEN, alpha=PENALTY, max_iter=PASSES, random_state=0).fit(z[learns], is_click[learns])
    chance = np.clip(net.predict_proba(z)[:, 1], 1e-12, 1 - 1e-12)
    odds = np.log(chance / (1 - chance))
    for name, those in (("learnt from", voice < JUDGED), ("never learnt from", voice >= JUDGED)):
        minutes = np.sum(clean_s[np.unique(voice[those]).astype(int)]) / 60
        print(f"{name}: {np.sum(those & told & is_click)} clicks, {np.sum(those & told & ~is_click)} other instants")
        for least in (0.0, 0.5, 1.0, 1.5, 2.0, 3.0):
            taken = odds >= least
            recall = np.mean(taken[those & told & is_click])
            precision = np.mean(is_click[those & told & taken])
            print(
                f"  odds {least}: recall {recall:.3f}, precision {precision:.3f}, {np.sum(taken & those & clean) / minutes:.1f} a minute in clean talk"
            )
    layers = dict(zip(("hidden", "out"), zip(net.coefs_, net.intercepts_, strict=True), strict=True))
    np.savez(
        asked.weights,
        mean=mean.astype(np.float32),
        deviation=deviation.astype(np.float32),
        **{f"{k}.weight": w.astype(np.float32) for k, (w, _) in layers.items()},
        **{f"{k}.bias": b.astype(np.float32) for k, (_, b) in layers.items()},
    )


if __name__ == "__main__":
    main()
