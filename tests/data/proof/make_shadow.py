#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Renders the boatyard with and without a grey box, by POV-Ray: what a proof of the box has to look like.

    tests/data/proof/make_shadow.py

Needs povray. Writes without.png, with.png (linear light in 16 bits as sRGB in 8) and shadow.json: camera, box and sun.
The sun is POV-Ray's point light some 50 m away; its direction is told for the box. The lens is without distortion.
"""
import json, math, os, subprocess, sys, tempfile

HERE = os.path.dirname(os.path.abspath(__file__))
sys.path.insert(0, os.path.join(HERE, "..", "..", "..", "demo", "generator"))
import generate as g

W, H = 640, 360
clip = g.CLIPS["slipway"]
at, look, roll = clip["path"](60 / 119)
right, up, back = g.pose(at, look, roll)
f = clip["focal_mm"] / clip["sensor_mm"] * W
# The box stands where the picture shows open ground.
px, py = 470, 318
ray = [right[k] * (px - (W - 1) / 2) / f - up[k] * (py - (H - 1) / 2) / f - back[k] for k in range(3)]
t = -at[1] / ray[1]
foot = [at[k] + t * ray[k] for k in range(3)]
foot[1] = 0.0
size = [0.3, 1.0, 0.3]
sun_at = [-30.0, 38.0, 22.0]  # as in the yard's scene file, whose z is the mirror image
middle = [foot[0], size[1] / 2, foot[2]]
to_sun = g.unit(g.sub(sun_at, middle))
grey = 0.4


def render(name, extra):
    with tempfile.TemporaryDirectory() as folder:
        with open(os.path.join(folder, "camera.inc"), "w") as out:
            out.write("#declare TrolleyZ = 6.0;\n" + extra)
            out.write("camera { perspective location %s right %s up %s direction %s }\n" % (
                g.pov(at), g.pov([x * W for x in right]), g.pov([x * H for x in up]), g.pov([-x * f for x in back])))
        subprocess.run(["povray", "+I" + os.path.join(g.SCENES, "frame.pov"), "+L" + folder, "+L" + g.SCENES,
                        "+O" + os.path.join(HERE, name), "+FN8", "File_Gamma=sRGB", "+W%d" % W, "+H%d" % H, "+A0.02", "+AM2", "+R4",
                        "-J", "-D", "+WT1", "-GA"], check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


low = [foot[0] - size[0] / 2, 0, foot[2] - size[2] / 2]
high = [foot[0] + size[0] / 2, size[1], foot[2] + size[2] / 2]
render("without.png", "")
render("with.png", "box { %s, %s pigment { rgb %g } finish { ambient 0.25 diffuse 0.75 } }\n" % (g.pov(low), g.pov(high), grey))
with open(os.path.join(HERE, "shadow.json"), "w") as out:
    json.dump(dict(width=W, height=H, focal_px=f, position=at, rotation=g.quaternion(right, up, back), box=dict(foot=foot, size=size),
                   to_sun=to_sun, sun_at=sun_at), out, indent=1)
