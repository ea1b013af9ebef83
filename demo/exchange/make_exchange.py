#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Writes slipway_from_elsewhere.usda: the camera of the clip "slipway" as another program might hand it over, to practise on.

Z is up, a unit is a centimetre, the rate is 24 instead of 25, the first frame is 1, the film back belongs to another
format than the plate, and nothing is said of the picture's size or of distortion. The numbers come from the clip's truth.
"""
import json
import math
import pathlib

HERE = pathlib.Path(__file__).resolve().parent
TRUTH = json.loads((HERE.parent / "data/slipway/slipway.truth.json").read_text())
RATE_IN = TRUTH["frame_rate"]["num"] / TRUTH["frame_rate"]["den"]
RATE_OUT = 24
CM = 100.0
BACK = (24.89, 18.67)  # mm: a classic film back, 4:3


def slerp(a, b, t):
    dot = sum(x * y for x, y in zip(a, b))
    if dot < 0:
        b, dot = [-x for x in b], -dot
    if dot > 0.999999:
        q = [x + t * (y - x) for x, y in zip(a, b)]
    else:
        angle = math.acos(dot)
        q = [(math.sin((1 - t) * angle) * x + math.sin(t * angle) * y) / math.sin(angle) for x, y in zip(a, b)]
    n = math.sqrt(sum(x * x for x in q))
    return [x / n for x in q]


def axes(q):
    w, x, y, z = q
    return [[1 - 2 * (y * y + z * z), 2 * (x * y - w * z), 2 * (x * z + w * y)],
            [2 * (x * y + w * z), 1 - 2 * (x * x + z * z), 2 * (y * z - w * x)],
            [2 * (x * z - w * y), 2 * (y * z + w * x), 1 - 2 * (x * x + y * y)]]


def z_up(v):
    return [v[0], -v[2], v[1]]


def main():
    frames = TRUTH["frames"]
    width = TRUTH["image"]["width"]
    count = int((len(frames) - 1) * RATE_OUT / RATE_IN) + 1
    focal, moves = [], []
    for n in range(count):
        at = n * RATE_IN / RATE_OUT
        i = min(int(at), len(frames) - 2)
        t = at - i
        a, b = frames[i], frames[i + 1]
        place = [CM * (x + t * (y - x)) for x, y in zip(a["position"], b["position"])]
        r = axes(slerp(a["rotation"], b["rotation"], t))
        columns = [z_up([r[k][c] for k in range(3)]) for c in range(3)]
        rows = ", ".join("(%.9f, %.9f, %.9f, 0)" % tuple(c) for c in columns)
        moves.append("            %d: ( %s, (%.6f, %.6f, %.6f, 1) )," % ((n + 1, rows) + tuple(z_up(place))))
        focal.append("            %d: %.6f," % (n + 1, a["focal_px"] * BACK[0] / width))
    points = ", ".join("(%.3f, %.3f, %.3f)" % tuple(CM * v for v in z_up(p["position"])) for p in TRUTH["points"][:400])
    post = [(x, y, z) for z in (0, 180) for x, y in ((-5, -5), (5, -5), (5, 5), (-5, 5))]
    text = f"""#usda 1.0
(
    doc = "Camera handed over by another department"
    defaultPrim = "shot"
    startTimeCode = 1
    endTimeCode = {count}
    framesPerSecond = {RATE_OUT}
    timeCodesPerSecond = {RATE_OUT}
    metersPerUnit = 0.01
    upAxis = "Z"
)

def Xform "shot"
{{
    def Camera "matchCamera"
    {{
        float horizontalAperture = {BACK[0]}
        float verticalAperture = {BACK[1]}
        float focalLength.timeSamples = {{
{chr(10).join(focal)}
        }}
        matrix4d xformOp:transform.timeSamples = {{
{chr(10).join(moves)}
        }}
        uniform token[] xformOpOrder = ["xformOp:transform"]
    }}

    def Points "survey"
    {{
        point3f[] points = [{points}]
    }}

    def Mesh "tall post"
    {{
        point3f[] points = [{", ".join("(%g, %g, %g)" % p for p in post)}]
        int[] faceVertexCounts = [4, 4, 4, 4, 4, 4]
        int[] faceVertexIndices = [3, 2, 1, 0, 4, 5, 6, 7, 0, 1, 5, 4, 1, 2, 6, 5, 2, 3, 7, 6, 3, 0, 4, 7]
        double3 xformOp:translate = (60, 120, 0)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }}
}}
"""
    (HERE / "slipway_from_elsewhere.usda").write_text(text)


main()
