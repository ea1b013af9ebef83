#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Remakes the demo footage and its truth from our own scene files.

    demo/generator/generate.py [CLIP ...] [--jobs N] [--keep DIR]

Needs povray, ffmpeg, exiv2 and a C++ compiler. Cameras are defined here, in the program's world (right-handed, Y up, metres,
camera looking down -Z); POV-Ray's world is its mirror image in z. Truth is computed here from the same numbers, with no
code shared with the product.
"""
import argparse, json, math, os, subprocess, sys, tempfile
from concurrent.futures import ThreadPoolExecutor

HERE = os.path.dirname(os.path.abspath(__file__))
SCENES = os.path.join(HERE, "..", "scenes")
DATA = os.path.join(HERE, "..", "data")
SHUTTER_SAMPLES = 15  # moments of an open shutter that a blurred frame is averaged over, or that rows are read at
ROW_STRIPS = 16  # of a frame whose rows are read one after the other: each is rendered from where the camera was then


def ease(t):
    """0..1 with soft ends and a steady middle: how a dolly starts and stops."""
    return t + 0.6 * (math.sin(2 * math.pi * t) / (-2 * math.pi))


def lerp(a, b, t):
    return [x + (y - x) * t for x, y in zip(a, b)]


def slipway(t):
    s = ease(t)
    at = lerp([-4.2, 1.65, 7.4], [0.5, 1.48, 5.7], s)
    at[1] += 0.004 * math.sin(23 * t) + 0.002 * math.sin(61 * t + 1)
    at[0] += 0.003 * math.sin(31 * t + 2)
    return at, lerp([0.1, 1.12, -2.0], [1.9, 1.22, -2.6], s), 0.004 * math.sin(5 * t)


def jib(t):
    s = ease(t)
    return lerp([3.6, 1.0, 6.8], [0.6, 2.3, 7.4], s), lerp([0.8, 0.9, -1.5], [0.9, 0.8, -1.9], s), 0.02 * t


def mast_top(t):
    a = math.radians(-16 + 32 * ease(t))
    return [-1.0, 5.2, 9.0], [-1.0 + 10 * math.sin(a), 3.6 + 0.6 * t, 9.0 - 10 * math.cos(a)], 0.0


def boardwalk(t):
    """Walking on the planks with the camera in the hand: steps, sway, and a stumble two thirds in. t may lie a little
    outside 0..1: the shutter is open before the first and after the last frame's middle."""
    seconds = 4 * t
    step = 2 * math.pi * 1.8 * seconds
    at = lerp([3.25, 1.66, 8.9], [3.95, 1.64, 5.1], t)
    at[0] += 0.022 * math.sin(step / 2) + 0.006 * math.sin(2.3 * step + 1)
    at[1] += 0.020 * math.sin(step + 0.4) + 0.005 * math.sin(3.1 * step)
    jolt = math.exp(-((seconds - 2.65) / 0.16) ** 2)
    turn = 0.012 * math.sin(step / 2 + 0.8) + 0.006 * math.sin(2 * math.pi * 4.1 * seconds) + 0.030 * jolt * math.sin(2 * math.pi * 4.8 * seconds)
    tilt = 0.010 * math.sin(step + 1.9) + 0.004 * math.sin(2 * math.pi * 5.3 * seconds + 2) + 0.034 * jolt * math.sin(2 * math.pi * 5.2 * seconds + 1)
    look = lerp([2.9, 1.05, -2.2], [3.2, 1.15, -2.6], t)
    far = at[2] - look[2]
    return at, [look[0] + far * turn, look[1] + far * tilt, look[2]], 0.010 * math.sin(step / 2 + 2) + 0.02 * jolt * math.sin(2 * math.pi * 3.9 * seconds)


def wide_yard(t):
    """Through the middle of the yard with a wide lens, close to things."""
    s = ease(t)
    at = lerp([-1.9, 1.50, 5.3], [1.1, 1.32, 3.5], s)
    at[1] += 0.004 * math.sin(19 * t + 1)
    return at, lerp([-0.4, 1.2, -2.5], [1.7, 1.25, -3.0], s), 0.006 * math.sin(4 * t + 1)


def zoom(t):
    """A slow walk along the yard while the lens closes in on the hull, holds, and opens a little."""
    s = ease(t)
    at = lerp([-3.3, 1.62, 7.2], [-0.5, 1.5, 6.3], s)
    at[1] += 0.003 * math.sin(21 * t)
    return at, lerp([0.5, 1.15, -2.0], [1.0, 1.2, -2.4], s), 0.005 * math.sin(4 * t)


def zoom_mm(t):
    """Focal length in mm: 24 held, to 46 with soft ends, held, back to 40."""
    up = min(1, max(0, (t - 0.15) / 0.45))
    back = min(1, max(0, (t - 0.75) / 0.2))
    soft = lambda v: v * v * (3 - 2 * v)
    return 24 * (46 / 24) ** soft(up) * (40 / 46) ** soft(back)


def lookout(t):
    """From a tripod: over the yard while the lens closes in."""
    a = math.radians(-14 + 30 * ease(t))
    return [0.5, 1.8, 9.5], [0.5 + 10 * math.sin(a), 1.3 + 0.8 * t, 9.5 - 10 * math.cos(a)], 0.0


def lookout_mm(t):
    """26 held, to 50 with soft ends, held."""
    u = min(1, max(0, (t - 0.2) / 0.6))
    return 26 * (50 / 26) ** (u * u * (3 - 2 * u))


def quay(t):
    """Walking sideways with a small camera in the hand, whose shake is quicker than a few frames."""
    seconds = 3.2 * t
    at = lerp([-2.6, 1.7, 7.6], [0.6, 1.6, 6.8], t)
    turn = 0.010 * math.sin(2 * math.pi * 1.7 * seconds) + 0.005 * math.sin(2 * math.pi * 4.3 * seconds + 1)
    tilt = 0.008 * math.sin(2 * math.pi * 2.1 * seconds + 0.5) + 0.004 * math.sin(2 * math.pi * 5.1 * seconds + 2)
    look = lerp([-0.6, 1.1, -2.4], [0.9, 1.1, -2.6], t)
    far = at[2] - look[2]
    return at, [look[0] + far * turn, look[1] + far * tilt, look[2]], 0.006 * math.sin(2 * math.pi * 2.9 * seconds)


def trolley(t):
    """Beside the rails, moving along while the loaded trolley rolls past."""
    s = ease(t)
    at = lerp([-4.6, 1.75, 6.9], [-3.0, 1.6, 6.0], s)
    at[1] += 0.004 * math.sin(17 * t + 1)
    return at, lerp([-1.5, 0.7, 2.6], [-0.9, 0.75, 0.6], s), 0.004 * math.sin(5 * t)


def trolley_place(t):
    """Where the trolley stands on the rails, as POV-Ray's matrix: three axes and the place, in its left-handed world.
    It starts to roll, and its load makes it nod and sway a little on the joints of the rails."""
    along = -4.3 + 3.2 * t * t * (1.6 - 0.6 * t)
    nod, sway = math.radians(0.7 * math.sin(14 * t) * t), math.radians(0.5 * math.sin(9 * t + 1))

    def turned_by(v):
        v = [v[0], v[1] * math.cos(nod) - v[2] * math.sin(nod), v[1] * math.sin(nod) + v[2] * math.cos(nod)]
        a = math.radians(8) + sway
        return [v[0] * math.cos(a) + v[2] * math.sin(a), v[1], -v[0] * math.sin(a) + v[2] * math.cos(a)]

    a = math.radians(8)
    at = [-1.36 * math.cos(a) + along * math.sin(a), 0.01, 1.36 * math.sin(a) + along * math.cos(a)]
    return [turned_by([1, 0, 0]), turned_by([0, 1, 0]), turned_by([0, 0, 1]), at]


def mover_pose(place):
    """The same in the program's world: position, and rotation as the columns of a matrix."""
    mirror = lambda v: [v[0], v[1], -v[2]]
    x, y, z, at = place
    return mirror(at), (mirror(x), mirror(y), [-v for v in mirror(z)])


def shed(t):
    """A photo of the shed's corner."""
    return [0.2, 1.65, 4.4], [3.7, 1.25, -3.6], math.radians(0.7)


def mast_top_still(t):
    """Two photos of the place that mast-top is seen from one spot only, taken from beside it with another camera."""
    return ([-4.2, 3.1, 8.2], [0.6, 1.0, -2.0], 0.0) if t < 0.5 else ([3.0, 2.4, 8.6], [0.2, 0.9, -2.2], 0.01)


def chart_camera(t):
    return [-0.9, 1.5, 6.2], [0.2, 1.3, -2.5], 0.0


# How the chart is held, still by still: its middle in the camera (right, up, ahead; m), then turns in degrees about its
# upright, its level and its own axis. Near, tilted both ways, and into every corner of the frame.
CHART_POSES = [
    (0.00, 0.00, 0.62, 0, 0, 0), (0.02, 0.01, 0.60, 38, 4, 3), (-0.03, 0.00, 0.60, -36, -5, -4), (0.00, 0.04, 0.58, 5, 36, 2),
    (0.01, -0.03, 0.58, -4, -38, 0), (-0.40, 0.17, 0.60, 24, 18, 4), (0.42, 0.16, 0.60, -26, 16, -6), (-0.41, -0.18, 0.62, 22, -20, -3),
    (0.40, -0.17, 0.61, -24, -19, 5), (-0.30, 0.02, 0.50, -12, 3, 88), (0.31, -0.01, 0.50, 14, -4, 91), (0.02, 0.12, 0.47, 3, -14, 2),
    (-0.02, -0.12, 0.47, -4, 13, -1), (0.10, 0.03, 0.75, 30, 28, 35)]


def chart_place(cam, pose):
    """The chart's axes and middle as POV-Ray's matrix: x right, y up, z away from the camera, in the world."""
    at, (right, up, back) = cam
    x, y, ahead, a, b, c = pose
    a, b, c = (math.radians(v) for v in (a, b, c))

    def turned(v):
        v = [v[0] * math.cos(c) - v[1] * math.sin(c), v[0] * math.sin(c) + v[1] * math.cos(c), v[2]]
        v = [v[0], v[1] * math.cos(b) - v[2] * math.sin(b), v[1] * math.sin(b) + v[2] * math.cos(b)]
        v = [v[0] * math.cos(a) + v[2] * math.sin(a), v[1], -v[0] * math.sin(a) + v[2] * math.cos(a)]
        return [v[0] * right[i] + v[1] * up[i] - v[2] * back[i] for i in range(3)]

    middle = [at[i] + x * right[i] + y * up[i] - ahead * back[i] for i in range(3)]
    rows = [turned([1, 0, 0]), turned([0, 1, 0]), turned([0, 0, 1]), middle]
    return "#declare ChartPlace = transform { matrix <%s> };\n" % ",".join(pov(r)[1:-1] for r in rows)


CLIPS = {
    "slipway": dict(path=slipway, size=(1280, 720), frames=120, first=1001, focal_mm=28.0, sensor_mm=36.0, k1=-0.06, k2=0.012, seed=1, movie=True),
    "jib": dict(path=jib, size=(640, 360), frames=40, first=1001, focal_mm=32.0, sensor_mm=36.0, k1=-0.03, k2=0.0, seed=2, movie=False),
    "boardwalk": dict(path=boardwalk, size=(960, 540), frames=100, first=1001, focal_mm=26.0, sensor_mm=36.0, k1=-0.04, k2=0.006, seed=4, movie=True, shutter=0.5,
                      scene="#declare WithBoardwalk = 1;\n"),
    # 90 degrees of the world across; with k1 alone the picture would fold over inside the frame.
    "wide-yard": dict(path=wide_yard, size=(960, 540), frames=80, first=1001, focal_mm=21.825, sensor_mm=36.0, k1=-0.22, k2=0.045, seed=5, movie=True, room=1.36,
                      scene="#declare WithRack = 1;\n"),
    # The lens of wide-yard, looking at a board that is held into its frame. `still`: the pictures are photos, not a clip.
    "lens-chart": dict(path=chart_camera, size=(960, 540), frames=14, first=1, focal_mm=21.825, sensor_mm=36.0, k1=-0.22, k2=0.045, seed=6, movie=False, room=1.36,
                       # Edges along the pixel grid: without more samples there, a corner would lie on the nearest render pixel.
                       still=True, antialias=["+A0.03", "+AM1", "+R4", "-J"], scene="#declare WithChart = 1;\n"),
    "zoom": dict(path=zoom, size=(960, 540), frames=80, first=1001, focal_mm=zoom_mm, sensor_mm=36.0, k1=-0.03, k2=0.0, seed=7, movie=True),
    "trolley": dict(path=trolley, size=(960, 540), frames=80, first=1001, focal_mm=26.0, sensor_mm=36.0, k1=-0.05, k2=0.008, seed=8, movie=True,
                    scene="#declare WithLoad = 1;\n", mover=trolley_place),
    "lookout": dict(path=lookout, size=(704, 396), frames=56, first=1001, focal_mm=lookout_mm, sensor_mm=36.0, k1=-0.03, k2=0.0, seed=17, movie=True),
    # `readout`: share of a frame's time from the first row's reading to the last one's; the pose is that of the middle row.
    "quay": dict(path=quay, size=(704, 396), frames=56, first=1001, focal_mm=26.0, sensor_mm=36.0, k1=-0.04, k2=0.0, seed=15, movie=True, readout=0.7, room=1.12),
    # `photos`: single pictures with the metadata of a camera that does not exist.
    "shed": dict(path=shed, size=(1620, 1080), frames=1, first=1, focal_mm=30.0, sensor_mm=36.0, k1=-0.02, k2=0.0, seed=21, movie=False,
                 photos=dict(Make="Tidewater", Model="TW-10", Lens="TW 24-70mm")),
    "mast-top-stills": dict(path=mast_top_still, size=(1200, 800), frames=2, first=1, focal_mm=26.0, sensor_mm=36.0, k1=-0.02, k2=0.0, seed=22, movie=False,
                            photos=dict(Make="Tidewater", Model="TW-10", Lens="TW 24-70mm")),
    "mast-top": dict(path=mast_top, size=(640, 360), frames=40, first=1001, focal_mm=30.0, sensor_mm=36.0, k1=0.0, k2=0.0, seed=3, movie=True),
}


def turned(p, degrees, at):
    """A point of a thing that the scene turns by `rotate y * degrees` and then moves, from POV-Ray's to our world."""
    a = math.radians(degrees)
    return [p[0] * math.cos(a) + p[2] * math.sin(a) + at[0], p[1] + at[1], -(-p[0] * math.sin(a) + p[2] * math.cos(a) + at[2])]


# Flat things with a name, as their corners from top left clockwise; the numbers are those of yard.inc.
PLANES = {"sign": [turned(c, -12, [-3.4, 0, 1.3]) for c in ([-0.62, 1.92, 0], [0.62, 1.92, 0], [0.62, 1.2, 0], [-0.62, 1.2, 0])]}


def planes(clip, cams):
    """Where the flat things' corners are seen, whether in front of everything or not."""
    out = []
    for name, corners in PLANES.items():
        seen = []
        for i, cam in enumerate(cams):
            xy = [project(clip, cam, c, clip["focal_px"][i]) for c in corners]
            if all(xy):
                seen.append([clip["first"] + i] + [round(v, 6) for p in xy for v in p])
        out.append({"name": name, "corners": corners, "seen": seen})
    return out


def sub(a, b): return [x - y for x, y in zip(a, b)]
def dot(a, b): return sum(x * y for x, y in zip(a, b))
def cross(a, b): return [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
def unit(a): n = math.sqrt(dot(a, a)); return [x / n for x in a]


def pose(at, look, roll):
    """Columns right, up, back of the camera-to-world rotation."""
    back = unit(sub(at, look))
    right = unit(cross([0, 1, 0], back))
    up = cross(back, right)
    c, s = math.cos(roll), math.sin(roll)
    return [x * c + y * s for x, y in zip(right, up)], [y * c - x * s for x, y in zip(right, up)], back


def quaternion(right, up, back):
    m = [[right[i], up[i], back[i]] for i in range(3)]
    w = math.sqrt(max(0, 1 + m[0][0] + m[1][1] + m[2][2])) / 2
    x = math.copysign(math.sqrt(max(0, 1 + m[0][0] - m[1][1] - m[2][2])) / 2, m[2][1] - m[1][2])
    y = math.copysign(math.sqrt(max(0, 1 - m[0][0] + m[1][1] - m[2][2])) / 2, m[0][2] - m[2][0])
    z = math.copysign(math.sqrt(max(0, 1 - m[0][0] - m[1][1] + m[2][2])) / 2, m[1][0] - m[0][1])
    return [w, x, y, z]


def focals(clip):
    """Focal length in mm, frame by frame."""
    mm = clip["focal_mm"]
    return [mm(i / max(1, clip["frames"] - 1)) if callable(mm) else mm for i in range(clip["frames"])]


def pov(v): return "<%.12g,%.12g,%.12g>" % (v[0], v[1], -v[2])


def project(clip, cam, p, focal_px):
    (at, (right, up, back)) = cam
    d = sub(p, at)
    z = -dot(d, back)
    if z < 0.05:
        return None
    x, y = dot(d, right) / z, -dot(d, up) / z
    r2 = x * x + y * y
    if 1 + 3 * clip["k1"] * r2 + 5 * clip["k2"] * r2 * r2 <= 0:
        return None  # beyond where the polynomial folds back into the frame
    m = 1 + clip["k1"] * r2 + clip["k2"] * r2 * r2
    w, h = clip["size"]
    return [focal_px * x * m + (w - 1) / 2, focal_px * y * m + (h - 1) / 2]


def scene_of(clip, t):
    """What a clip declares for the scene; it may be another in every frame."""
    scene = clip.get("scene", "")
    return scene(t) if callable(scene) else scene


def make(name, clip, jobs, work):
    w, h = clip["size"]
    squeeze = clip.get("squeeze", 1)
    clip["focal_px"] = [mm / clip["sensor_mm"] * w for mm in focals(clip)]
    steady = min(clip["focal_px"]) == max(clip["focal_px"])
    scale = 2
    # The straight render must hold the bent frame's corners and the pixel filter.
    room = clip.get("room", 1.08)
    rw, rh = int(w * room) // 2 * 2 * scale, int(h * room) // 2 * 2 * scale
    cams = []
    for i in range(clip["frames"]):
        at, look, roll = clip["path"](i / max(1, clip["frames"] - 1))
        cams.append((at, pose(at, look, roll)))

    def render(i):
        folder = os.path.join(work, "%04d" % i)
        os.makedirs(folder, exist_ok=True)
        target = os.path.join(work, "straight.%04d.ppm" % i)
        part = os.path.join(work, "part.%04d.ppm" % i)
        if os.path.exists(target):
            return
        at, (right, up, back) = cams[i]
        forward = [-b for b in back]
        f = clip["focal_px"][i] * scale
        place = clip["mover"](i / max(1, clip["frames"] - 1)) if "mover" in clip else None
        trolley = "#declare TrolleyPlace = transform { matrix <%s> };\n" % ",".join("%.12g" % v for row in place for v in row) if place else "" if "Place" in scene_of(clip, 0) else "#declare TrolleyZ = 6.0;\n"
        def trace(at, rows=()):
            with open(os.path.join(folder, "camera.inc"), "w") as out:
                out.write(scene_of(clip, i / max(1, clip["frames"] - 1)) + (chart_place(cams[i], CHART_POSES[i]) if clip.get("still") else "") + trolley + "camera { perspective location %s right %s up %s direction %s }\n" % (
                    pov(at), pov([x * rw for x in right]), pov([x * rh for x in up]), pov([x * f for x in forward])))
            subprocess.run(["povray", "+I" + os.path.join(SCENES, "frame.pov"), "+L" + folder, "+L" + SCENES, "+O" + part, "+FP16",
                            "File_Gamma=1.0", "+W%d" % rw, "+H%d" % rh] + clip.get("antialias", ["-A"]) + ["-D", "+WT1", "-GA"] +
                           (["+SR%d" % (rows[0] + 1), "+ER%d" % rows[1]] if rows else []), check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

        if "readout" in clip:
            # The place of the camera goes from strip to strip; its turn is laid over the rows by `bend`.
            whole = None
            for k in range(ROW_STRIPS):
                rows = rh * k // ROW_STRIPS, rh * (k + 1) // ROW_STRIPS
                share = max(-0.5, min(0.5, (sum(rows) / 2 - rh / 2) / scale / h))
                trace(clip["path"]((i + clip["readout"] * share) / max(1, clip["frames"] - 1))[0], rows)
                with open(part, "rb") as file:
                    raw = file.read()
                head = len(raw) - rw * rh * 6
                whole = whole or bytearray(raw)
                strip = slice(head + rows[0] * rw * 6, head + rows[1] * rw * 6)
                whole[strip] = raw[strip]
            with open(part, "wb") as file:
                file.write(whole)
        else:
            trace(at)
        os.rename(part, target)
        print("%s: rendered %d/%d" % (name, i + 1, clip["frames"]), file=sys.stderr, flush=True)

    # Motion blur: the turn while the shutter is open, as half-turn quaternions' rotation matrices from the render's camera
    # to the camera at each moment. The move of the camera's place in that time is left out: hundredths of a second at
    # walking pace. The pose of a frame is the one at the shutter's middle. Of rows that are read one after the other: the
    # turns from the first row's moment to the last one's.
    def turns(i):
        samples = []
        for k in range(SHUTTER_SAMPLES):
            late = clip["readout"] * (k / (SHUTTER_SAMPLES - 1) - 0.5) if "readout" in clip else clip.get("shutter", 0) * ((k + 0.5) / SHUTTER_SAMPLES - 0.5)
            t = (i + late) / max(1, clip["frames"] - 1)
            at, look, roll = clip["path"](t)
            r0, u0, b0 = cams[i][1]
            there = pose(at, look, roll)
            samples.append([[dot(a, b) for b in there] for a in (r0, u0, b0)])
        return samples

    by_turns = clip.get("shutter", 0) > 0 or "readout" in clip
    with open(os.path.join(work, "turns.txt"), "w") as out:
        if by_turns:
            for i in range(clip["frames"]):
                for m in turns(i):
                    out.write(" ".join("%.12g" % v for row in m for v in row) + "\n")

    with ThreadPoolExecutor(jobs) as pool:
        list(pool.map(render, range(clip["frames"])))

    folder = os.path.join(DATA, name)
    os.makedirs(folder, exist_ok=True)
    bend = os.path.join(work, "bend")
    subprocess.run(["c++", "-std=c++20", "-O3", os.path.join(HERE, "bend.cpp"), "-o", bend], check=True)

    def bent(first, last, into):
        focal = clip["focal_px"][first]
        return subprocess.Popen([bend, str(w), str(h), repr(focal * scale), repr(focal), repr((w - 1) / 2), repr((h - 1) / 2),
                                 repr(clip["k1"]), repr(clip["k2"]), str(clip["seed"]), str(first), str(last), os.path.join(work, "straight.%04d.ppm"),
                                 os.path.join(work, "turns.txt") if by_turns else "bent" if "room" in clip else "-", str(SHUTTER_SAMPLES), "rows" if "readout" in clip else "open", repr(clip.get("grain", 1.0))], stdout=into)

    encode = ["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", "%dx%d" % (w, h), "-r", "25", "-i", "-"]
    if clip["movie"]:
        # Anamorphic: the frame as it is seen is squeezed into fewer columns, which the movie says.
        narrow = "scale=%d:%d:flags=area,setsar=%d/1," % (w // squeeze, h, squeeze) if squeeze > 1 else ""
        encode += ["-vf", narrow + "scale=out_color_matrix=bt709:out_range=tv", "-pix_fmt", "yuv420p", "-c:v", "libx264", "-preset", "slow", "-crf", "17", "-g", "50",
                   "-colorspace", "bt709", "-color_primaries", "bt709", "-color_trc", "bt709", "-color_range", "tv", "-movflags", "+faststart", os.path.join(folder, name + ".mp4")]
    else:
        encode += ["-pix_fmt", "yuvj444p", "-q:v", "2", "-start_number", str(clip["first"]), os.path.join(folder, name + (".jpg" if clip.get("photos") and clip["frames"] == 1 else ".%02d.jpg" if clip.get("still") or clip.get("photos") else ".%04d.jpg"))]
    encoder = subprocess.Popen(encode, stdin=subprocess.PIPE)
    # A zoom's bend is another one in every frame.
    runs = [(0, clip["frames"] - 1)] if steady else [(i, i) for i in range(clip["frames"])]
    if any(bent(first, last, encoder.stdin).wait() != 0 for first, last in runs):
        raise SystemExit("bend failed")
    encoder.stdin.close()
    if encoder.wait() != 0:
        raise SystemExit("ffmpeg failed")

    if clip.get("photos"):
        write_metadata(clip, sorted(os.path.join(folder, f) for f in os.listdir(folder) if f.endswith(".jpg")))
    lens = {"model": "brown-conrady", "k1": clip["k1"], "k2": clip["k2"], "k3": 0.0, "p1": 0.0, "p2": 0.0}
    if clip.get("still"):
        write_truth(name, {"format": "vivid-anchor-truth", "version": 1, "image": {"width": w, "height": h, "pixel_aspect": 1.0}, "lens": lens, "focal_px": clip["focal_px"][0],
                           "principal_point_px": [(w - 1) / 2, (h - 1) / 2]})
        return

    # True surface points: rays through a grid of pixels of the first, middle and last frame, measured by the renderer.
    with open(os.path.join(work, "rays.inc"), "w") as out:
        out.write(scene_of(clip, 0.5))
        froms, alongs = [], []
        for k, i in enumerate([0, clip["frames"] // 2, clip["frames"] - 1]):
            at, (right, up, back) = cams[i]
            for gy in range(6):
                for gx in range(10):
                    x = ((gx + 0.3 + 0.17 * k) / 10 - 0.5) * w / clip["focal_px"][i] * (clip.get("room", 1) - 0.04)
                    y = ((gy + 0.4 + 0.13 * k) / 6 - 0.5) * h / clip["focal_px"][i] * (clip.get("room", 1) - 0.04)
                    froms.append(pov(at))
                    alongs.append(pov(unit([right[c] * x - up[c] * y - back[c] for c in range(3)])))
        out.write("#declare CamAt = array[%d] { %s };\n" % (len(cams), ",\n".join(pov(c[0]) for c in cams)))
        out.write("#declare PickFrom = array[%d] { %s };\n" % (len(froms), ",\n".join(froms)))
        out.write("#declare PickAlong = array[%d] { %s };\n" % (len(alongs), ",\n".join(alongs)))
    subprocess.run(["povray", "+I" + os.path.join(SCENES, "truth_points.pov"), "+L" + work, "+L" + SCENES, "+O" + os.path.join(work, "none.png"), "+W8", "+H8", "-D"],
                   check=True, cwd=work, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    points = {}
    for line in open(os.path.join(work, "truth_points.txt")):
        part = line.split()
        if part[0] == "P":
            p = [float(v) for v in part[2:5]]
            points[int(part[1])] = dict(position=[p[0], p[1], -p[2]], seen=[])
        else:
            point, i = points[int(part[1])], int(part[2])
            xy = project(clip, cams[i], point["position"], clip["focal_px"][i])
            if xy and -0.5 <= xy[0] <= w - 0.5 and -0.5 <= xy[1] <= h - 0.5:
                point["seen"].append([clip["first"] + i, round((xy[0] + 0.5) / squeeze - 0.5, 6), round(xy[1], 6)])
    mm = focals(clip)
    truth = {
        "format": "vivid-anchor-truth", "version": 1,
        "image": {"width": w // squeeze, "height": h, "pixel_aspect": float(squeeze)}, "frame_rate": {"num": 25, "den": 1}, "units": "m", "up_axis": "y",
        "lens": lens,
        "frames": [{"frame": clip["first"] + i, "position": [round(v, 9) for v in at], "rotation": [round(v, 12) for v in quaternion(*axes)],
                    "focal_px": clip["focal_px"][i], "focal_mm": mm[i], "sensor_width_mm": clip["sensor_mm"],
                    "principal_point_px": [(w // squeeze - 1) / 2, (h - 1) / 2]} for i, (at, axes) in enumerate(cams)],
        "planes": planes(clip, cams) if clip.get("planes", True) else [],
        "points": [{"id": i, "position": p["position"], "seen": p["seen"]} for i, p in sorted(points.items()) if len(p["seen"]) >= min(10, clip["frames"])],
    }
    if "readout" in clip:
        truth["rolling_shutter"] = {"readout_share": clip["readout"], "pose_row": 0.5}
    if "mover" in clip:
        poses = [mover_pose(clip["mover"](i / max(1, clip["frames"] - 1))) for i in range(clip["frames"])]
        truth["movers"] = [{"name": "trolley", "frames": [{"frame": clip["first"] + i, "position": [round(v, 9) for v in at], "rotation": [round(v, 12) for v in quaternion(*axes)]}
                                                          for i, (at, axes) in enumerate(poses)]}]
    write_truth(name, truth)


def write_metadata(clip, files):
    """What a camera writes into its photos (EXIF 2.32), by the exiv2 program."""
    w = clip["size"][0]
    per_mm = round(w / clip["sensor_mm"] * 1000)
    tags = ["set Exif.Image.Make Ascii %s" % clip["photos"]["Make"], "set Exif.Image.Model Ascii %s" % clip["photos"]["Model"],
            "set Exif.Photo.LensModel Ascii %s" % clip["photos"]["Lens"],
            "set Exif.Photo.FocalLength Rational %d/10" % round(10 * clip["focal_mm"]),
            "set Exif.Photo.FocalLengthIn35mmFilm Short %d" % round(clip["focal_mm"] * 36 / clip["sensor_mm"]),
            # Pixels a unit; 4 = millimetre.
            "set Exif.Photo.FocalPlaneXResolution Rational %d/1000" % per_mm,
            "set Exif.Photo.FocalPlaneYResolution Rational %d/1000" % per_mm,
            "set Exif.Photo.FocalPlaneResolutionUnit Short 4"]
    for file in files:
        subprocess.run(["exiv2"] + [a for t in tags for a in ("-M", t)] + ["modify", file], check=True)


def write_truth(name, truth):
    with open(os.path.join(DATA, name, name + ".truth.json"), "w") as out:
        out.write(json.dumps(truth).replace('}, {"frame"', '},\n {"frame"').replace('}, {"id"', '},\n {"id"') + "\n")


def make_planes(name, clip):
    """The flat things of a clip that is rendered already."""
    clip["focal_px"] = [mm / clip["sensor_mm"] * clip["size"][0] for mm in focals(clip)]
    cams = []
    for i in range(clip["frames"]):
        at, look, roll = clip["path"](i / max(1, clip["frames"] - 1))
        cams.append((at, pose(at, look, roll)))
    with open(os.path.join(DATA, name, name + ".truth.json")) as file:
        truth = json.load(file)
    truth["planes"] = planes(clip, cams)
    write_truth(name, truth)


def main():
    ask = argparse.ArgumentParser()
    ask.add_argument("clips", nargs="*", default=[])
    ask.add_argument("--jobs", type=int, default=os.cpu_count())
    ask.add_argument("--keep", help="keep the straight renders in this folder, and reuse what is there")
    ask.add_argument("--planes", action="store_true", help="only add the flat things to the truth of clips that are there")
    given = ask.parse_args()
    for name in given.clips or CLIPS:
        if given.planes:
            make_planes(name, CLIPS[name])
            continue
        with tempfile.TemporaryDirectory() as scratch:
            work = os.path.join(given.keep, name) if given.keep else scratch
            os.makedirs(work, exist_ok=True)
            make(name, CLIPS[name], given.jobs, work)


if __name__ == "__main__":
    main()
