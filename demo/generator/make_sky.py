#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Renders the boatyard as a picture of all directions, for proofs: demo/props/yard-sky.exr.

    demo/generator/make_sky.py

Needs povray. 512 x 256 px, latitude and longitude, its middle at the world's -Z, half floats of linear light. The sun, which
the yard's scene has as a lamp, is a bright disc where that lamp stands.
"""
import os, subprocess, tempfile

HERE = os.path.dirname(os.path.abspath(__file__))
SCENES = os.path.join(HERE, "..", "scenes")
OUT = os.path.join(HERE, "..", "props", "yard-sky.exr")

with tempfile.TemporaryDirectory() as folder:
    with open(os.path.join(folder, "camera.inc"), "w") as out:
        # POV-Ray's world is the mirror image in z. The disc is three degrees wide, as a hazy sun's glow.
        out.write("#declare TrolleyZ = 6.0;\n")
        out.write("sphere { <-30, 38, -22> * 20, 28 pigment { rgb 1 } finish { emission <60, 55, 46> diffuse 0 ambient 0 } no_shadow }\n")
        out.write("camera { spherical angle 360 180 location <-0.5, 1.4, -4.5> look_at <-0.5, 1.4, 0> }\n")
    subprocess.run(["povray", "+I" + os.path.join(SCENES, "frame.pov"), "+L" + folder, "+L" + SCENES, "+O" + OUT, "+FE",
                    "File_Gamma=1.0", "+W512", "+H256", "+A0.05", "+AM2", "+R3", "-J", "-D", "-GA"], check=True,
                   stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
print(OUT)
