#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Writes the demo's own meshes beside this file: crate.obj, lantern.obj, gull.obj. Metres, Y up, foot at the origin."""
import math
import pathlib

HERE = pathlib.Path(__file__).parent


class Mesh:
    def __init__(self):
        self.vertices, self.groups = [], {}

    def face(self, material, *points):
        first = len(self.vertices) + 1
        self.vertices += points
        self.groups.setdefault(material, []).append([first + i for i in range(len(points))])

    def box(self, material, low, high):
        x0, y0, z0 = low
        x1, y1, z1 = high
        v = lambda i, j, k: ((x0, x1)[i], (y0, y1)[j], (z0, z1)[k])
        for corners in (((0, 0, 0), (1, 0, 0), (1, 0, 1), (0, 0, 1)), ((0, 1, 0), (0, 1, 1), (1, 1, 1), (1, 1, 0)),
                        ((0, 0, 0), (0, 1, 0), (1, 1, 0), (1, 0, 0)), ((0, 0, 1), (1, 0, 1), (1, 1, 1), (0, 1, 1)),
                        ((0, 0, 0), (0, 0, 1), (0, 1, 1), (0, 1, 0)), ((1, 0, 0), (1, 1, 0), (1, 1, 1), (1, 0, 1))):
            self.face(material, *(v(*c) for c in corners))

    def turned(self, material, profile, sides=20):
        at = lambda r, y, i: (r * math.sin(2 * math.pi * i / sides), y, r * math.cos(2 * math.pi * i / sides))
        for (r0, y0), (r1, y1) in zip(profile, profile[1:]):
            for i in range(sides):
                ring = [at(r0, y0, i), at(r0, y0, i + 1), at(r1, y1, i + 1), at(r1, y1, i)]
                self.face(material, *[p for k, p in enumerate(ring) if p not in ring[:k]])

    def write(self, name, colours):
        with open(HERE / (name + '.mtl'), 'w') as out:
            for material, (r, g, b) in colours.items():
                out.write(f'newmtl {material}\nKd {r} {g} {b}\n')
        with open(HERE / (name + '.obj'), 'w') as out:
            out.write(f'# {name}, made by make_props.py\nmtllib {name}.mtl\n')
            for x, y, z in self.vertices:
                out.write(f'v {x:.4f} {y:.4f} {z:.4f}\n')
            for material, faces in self.groups.items():
                out.write(f'usemtl {material}\n')
                for f in faces:
                    out.write('f ' + ' '.join(map(str, f)) + '\n')


def crate():
    m, s, t = Mesh(), 0.6, 0.02
    m.box('boards', (-s / 2 + t, t, -s / 2 + t), (s / 2 - t, s - t, s / 2 - t))
    b = 0.07
    for x in (-1, 1):
        for z in (-1, 1):
            m.box('battens', (min(x * s / 2, x * (s / 2 - b)), 0, min(z * s / 2, z * (s / 2 - b))),
                  (max(x * s / 2, x * (s / 2 - b)), s, max(z * s / 2, z * (s / 2 - b))))
    for y in (0, s - b):
        for z in (-1, 1):
            m.box('battens', (-s / 2 + b, y, min(z * s / 2, z * (s / 2 - t))), (s / 2 - b, y + b, max(z * s / 2, z * (s / 2 - t))))
            m.box('battens', (min(z * s / 2, z * (s / 2 - t)), y, -s / 2 + b), (max(z * s / 2, z * (s / 2 - t)), y + b, s / 2 - b))
    m.write('crate', {'boards': (0.66, 0.50, 0.32), 'battens': (0.45, 0.32, 0.20)})


def lantern():
    m = Mesh()
    m.turned('iron', [(0, 0), (0.11, 0), (0.11, 0.04), (0.07, 0.05), (0, 0.05)])
    m.turned('glass', [(0.07, 0.05), (0.09, 0.14), (0.07, 0.24)])
    m.turned('iron', [(0, 0.24), (0.09, 0.24), (0.05, 0.30), (0.02, 0.32), (0, 0.34)])
    m.write('lantern', {'iron': (0.16, 0.17, 0.18), 'glass': (0.98, 0.80, 0.38)})


def gull():
    m = Mesh()
    body = [(0, -0.30), (0.05, -0.22), (0.09, -0.05), (0.07, 0.12), (0.04, 0.24), (0, 0.30)]
    sides = 12
    at = lambda r, z, i: (r * math.sin(2 * math.pi * i / sides), 0.8 * r * math.cos(2 * math.pi * i / sides), z)
    for (r0, z0), (r1, z1) in zip(body, body[1:]):
        for i in range(sides):
            ring = [at(r0, z0, i), at(r1, z1, i), at(r1, z1, i + 1), at(r0, z0, i + 1)]
            m.face('white', *[p for k, p in enumerate(ring) if p not in ring[:k]])
    for side in (-1, 1):
        inner = [(side * 0.06, 0.03, 0.12), (side * 0.42, 0.16, 0.14), (side * 0.42, 0.15, -0.02), (side * 0.06, 0.02, -0.08)]
        outer = [(side * 0.42, 0.16, 0.14), (side * 0.80, 0.06, 0.00), (side * 0.42, 0.15, -0.02)]
        for wing, material in ((inner, 'grey'), (outer, 'black')):
            ordered = wing if side < 0 else wing[::-1]
            m.face(material, *ordered)
            m.face(material, *[(x, y - 0.012, z) for x, y, z in ordered[::-1]])
    m.face('beak', (0.012, 0, 0.29), (0, 0.012, 0.29), (0, 0, 0.36))
    m.face('beak', (0, 0.012, 0.29), (-0.012, 0, 0.29), (0, 0, 0.36))
    m.face('beak', (-0.012, 0, 0.29), (0.012, 0, 0.29), (0, 0, 0.36))
    m.face('white', (-0.06, 0, -0.42), (0.06, 0, -0.42), (0, 0.02, -0.26))
    m.face('white', (0.06, 0, -0.42), (-0.06, 0, -0.42), (0, 0.0, -0.26))
    m.write('gull', {'white': (0.93, 0.93, 0.92), 'grey': (0.62, 0.65, 0.68), 'black': (0.15, 0.15, 0.16), 'beak': (0.90, 0.66, 0.20)})


crate()
lantern()
gull()
