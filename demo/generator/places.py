#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes footage of places that are not the boatyard, for tests: each is another one by its seed, with a kind of move.

    demo/generator/places.py [CLIP ...] [--jobs N] [--keep DIR]

Scenes are demo/scenes/place.inc, the rest is that of generate.py. Written to tests/data/places.
"""
import argparse, math, os, random, tempfile

import generate as g

g.DATA = os.path.join(g.HERE, "..", "..", "tests", "data", "places")


def shake(seed, size, seconds):
    """A hand's shake at a time: sums of sines of 0.6 to 5 Hz, slower ones larger."""
    r = random.Random(seed)
    waves = [(r.uniform(0.6, 5.0), r.uniform(0, 6.28)) for _ in range(7)]
    return size * sum(math.sin(2 * math.pi * f * seconds + p) / f for f, p in waves)


def hand(seed, at, look, t, seconds, place=0.012, turn=0.006):
    """A place and a look as a hand holds them."""
    s = t * seconds
    at = [at[0] + shake(seed, place, s), at[1] + shake(seed + 1, place, s), at[2] + shake(seed + 2, 0.6 * place, s)]
    far = math.dist(at, look)
    return at, [look[0] + far * shake(seed + 3, turn, s), look[1] + far * shake(seed + 4, turn, s), look[2]], shake(seed + 5, turn, s)


def lateral(t):
    s = g.ease(t)
    return g.lerp([-1.6, 1.6, 7.0], [1.4, 1.45, 6.6], s), g.lerp([0.2, 0.9, -2], [0.7, 0.95, -2.2], s), 0.01 * math.sin(4 * t)


def flight(t):
    """Low and forward, close over things at both sides."""
    return [0.12 * math.sin(5 * t), 0.95 + 0.12 * math.sin(4 * t + 1), 7.0 - 6.5 * t], [0.25 * math.sin(4 * t), 0.8, -6 - 6.5 * t], 0.03 * math.sin(5 * t)


def telephoto(t):
    """From far away, swaying by centimetres."""
    return hand(311, [-0.10 + 0.22 * t, 1.7, 24.0], [0.2 + 0.2 * t, 0.9, 0.5], t, 2.4, place=0.02, turn=0.0008)


def sway(t):
    """The same lens, carried a step to the side: some twenty px of parallax."""
    return hand(712, [-0.65 + 1.3 * t, 1.7 + 0.1 * math.sin(3 * t), 24.0 - 0.3 * t], [0.1 + 0.2 * t, 0.9, 0.5], t, 2.4,
                place=0.03, turn=0.0008)


def beside_cart(t):
    return hand(412, [-0.25 + 0.5 * t, 1.6, 5.6], [0.1, 0.75, 0.6], t, 2.4, place=0.02)


def cart(t):
    """A cart that rolls by and turns, as POV-Ray's matrix in its left-handed world."""
    a = math.radians(-35 + 95 * t)
    nod = math.radians(1.2 * math.sin(11 * t))
    axes = [[math.cos(a), 0, -math.sin(a)], [math.sin(a) * math.sin(nod), math.cos(nod), math.cos(a) * math.sin(nod)],
            [math.sin(a) * math.cos(nod), -math.sin(nod), math.cos(a) * math.cos(nod)]]
    return axes + [[-1.0 + 2.1 * t, 0.0, -1.2 + 0.5 * math.sin(2.2 * t)]]


def along_barrow(t):
    return hand(813, [0.5 - 0.7 * t, 1.45, 4.9 - 0.5 * t], [0.0, 0.7, 0.4], t, 2.4, place=0.025)


def barrow(t):
    """The cart once more, nearer, turning the other way and rocking."""
    a = math.radians(50 - 80 * t)
    nod = math.radians(2.5 * math.sin(7 * t))
    axes = [[math.cos(a), 0, -math.sin(a)], [math.sin(a) * math.sin(nod), math.cos(nod), math.cos(a) * math.sin(nod)],
            [math.sin(a) * math.cos(nod), -math.sin(nod), math.cos(a) * math.cos(nod)]]
    return axes + [[0.8 - 1.4 * t, 0.0, 0.2 - 0.6 * t]]


def before_wall(t):
    return hand(513, [-1.1 + 2.0 * t, 1.6, 1.6 - 0.5 * t], [-0.5 + 1.0 * t, 1.5, -4], t, 2.4)


def night(t):
    return hand(614, [-0.9 + 1.6 * t, 1.6, 6.6 - 0.6 * t], [0.2, 0.9, -1.5], t, 2.4)


def crowd_pan(t):
    a = math.radians(-14 + 28 * g.ease(t))
    return [0, 1.7, 8.0], [10 * math.sin(a), 1.0 + 0.3 * t, 8.0 - 10 * math.cos(a)], 0.0


def walkers(t):
    """Seven people who cross the picture at their own pace and distance."""
    r = random.Random(77)
    out = []
    for _ in range(7):
        x, pace, z = r.uniform(-4, 4), r.choice([-1, 1]) * r.uniform(0.8, 1.5), r.uniform(-4.5, -0.5)
        out.append("<%.9g,%.9g,%.9g>" % (x + pace * 2.0 * (t - 0.5), 0.03 * abs(math.sin(14 * t + x)), z))
    return "#declare WalkerAt = array[7] { %s };\n" % ", ".join(out)


def rolling_walk(t):
    return hand(815, [-1.2 + 1.9 * t, 1.62, 6.4 - 1.1 * t], [-0.1 + 0.5 * t, 0.9, -2], t, 2.4, place=0.016, turn=0.008)


def orbit(t):
    a = math.radians(-32 + 64 * g.ease(t))
    return [5.4 * math.sin(a), 1.7 + 0.2 * t, -1 + 5.4 * math.cos(a)], [0.05, 0.5, -1], 0.01 * math.sin(3 * t)


def locked(t):
    return [0.0, 1.5, 5.0], [0.0, 0.8, -2.0], 0.0


def turning_crate(t):
    """Something large, held before a camera on a tripod, turned about two axes and moved a little."""
    a, b = math.radians(-40 + 110 * g.ease(t)), math.radians(18 * math.sin(4.2 * t))
    axes = [[math.cos(a), 0, -math.sin(a)], [math.sin(a) * math.sin(b), math.cos(b), math.cos(a) * math.sin(b)],
            [math.sin(a) * math.cos(b), -math.sin(b), math.cos(a) * math.cos(b)]]
    return axes + [[0.25 * math.sin(3 * t), 0.55 + 0.12 * math.sin(5 * t), -2.6 + 0.4 * math.sin(2.5 * t)]]


def standing_hand(t):
    """Held in the hand by someone who stands: some px of parallax."""
    return hand(917, [-0.07 + 0.15 * t, 1.5, 5.0], [0.0, 0.8, -2.0], t, 2.4, place=0.012, turn=0.004)


def upright_walk(t):
    """A phone held upright, on a walk."""
    return hand(816, [-0.9 + 2.0 * t, 1.55 + 0.05 * math.sin(9 * t), 6.8 - 0.9 * t], [-0.2 + 0.7 * t, 0.9, -2], t, 2.4, place=0.014, turn=0.006)


def crane(t):
    s = g.ease(t)
    return g.lerp([-1.5, 0.9, 6.8], [1.3, 2.3, 6.2], s), g.lerp([0.1, 0.9, -2], [0.5, 0.6, -2.4], s), 0.008 * math.sin(3 * t)


def clip(path, place, kind=0, depth=14, light=1.0, mm=28.0, k1=-0.04, frames=48, extra=None, size=(512, 288), **more):
    scene = "#declare Place = %d; #declare PlaceKind = %d; #declare PlaceDepth = %g; #declare PlaceLight = %g;\n" % (place, kind, depth, light)
    return dict(path=path, size=size, frames=frames, first=1001, focal_mm=mm, sensor_mm=36.0, k1=k1, k2=0.0, seed=place, movie=True,
                scene=(lambda t: scene + extra(t)) if extra else scene, planes=False, **more)


CLIPS = {
    "lateral": clip(lateral, 101),
    "flight": clip(flight, 102, kind=2),
    # The same way between other things, before a wall of bricks too fine for the picture.
    "alley": clip(flight, 402, kind=2),
    "telephoto": clip(telephoto, 103, depth=18, mm=146.0, k1=0.0),
    "sway": clip(sway, 111, depth=18, mm=146.0, k1=0.0),
    "cart": clip(beside_cart, 104, mover=cart),
    "handcart": clip(beside_cart, 104, mover=cart, size=(960, 540)),
    # The same cart among other things: it goes behind a crate.
    "wagon": clip(beside_cart, 404, mover=cart),
    "barrow": clip(along_barrow, 112, mover=barrow),
    "wall": clip(before_wall, 105, kind=1, k1=-0.03),
    "night": clip(night, 106, light=0.22, grain=3.2),
    "crowd": clip(crowd_pan, 107, mm=32.0, k1=0.0, extra=walkers),
    "rolling": clip(rolling_walk, 108, readout=0.6, room=1.12),
    "orbit": clip(orbit, 109, kind=3, k1=-0.05, room=1.12),
    "upright": clip(upright_walk, 113, mm=45.0, size=(288, 512)),
    # 400 × 336 stored, seen twice as wide.
    "scope": clip(crane, 114, mm=40.0, k1=-0.06, size=(800, 336), squeeze=2),
    # The same crate before a hand that hardly moves: it tells the lens that the scene does not.
    "doorstep": clip(standing_hand, 115, mover=turning_crate, k1=-0.03),
    "locked": clip(locked, 110, mover=turning_crate, k1=-0.03),
}


def main():
    ask = argparse.ArgumentParser()
    ask.add_argument("clips", nargs="*", default=[])
    ask.add_argument("--jobs", type=int, default=os.cpu_count())
    ask.add_argument("--keep", help="keep the straight renders in this folder, and reuse what is there")
    given = ask.parse_args()
    for name in given.clips or CLIPS:
        with tempfile.TemporaryDirectory() as scratch:
            work = os.path.join(given.keep, name) if given.keep else scratch
            os.makedirs(work, exist_ok=True)
            g.make(name, CLIPS[name], given.jobs, work)


if __name__ == "__main__":
    main()
