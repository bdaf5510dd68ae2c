#!/usr/bin/env python3
"""Writes the set of the ferry landing as a simple mesh, as somebody would have measured it: quay, boathouse and crates as boxes, without boards, stones and rope.

Metres, Y up, in the truth's own world: make_set_mesh.py ../ferry-landing-set.obj"""
import math
import sys

CRATES = [  # length, height, depth; turn; where (props.inc)
    ((0.95, 0.70, 0.75), 17, (1.55, 0, -1.3)), ((0.70, 0.50, 0.60), -12, (1.5, 0.7, -1.35)), ((0.80, 0.62, 0.70), 40, (0.5, 0, -2.3)),
    ((0.90, 0.80, 0.80), -6, (2.05, 0, -4.4)), ((0.60, 0.45, 0.50), 25, (7.5, 0, -1.9)), ((0.75, 0.55, 0.60), -22, (6.9, 0, -0.4)),
    ((0.50, 0.42, 0.45), 9, (6.85, 0.55, -0.42))]
BOX = [(0, 2, 1), (1, 2, 3), (4, 5, 6), (5, 7, 6), (0, 1, 4), (1, 5, 4), (2, 6, 3), (3, 6, 7), (0, 4, 2), (2, 4, 6), (1, 3, 5), (3, 7, 5)]


class Mesh:
    def __init__(self):
        self.points, self.triangles = [], []

    def add(self, points, triangles):
        first = len(self.points) + 1
        self.points += points
        self.triangles += [tuple(first + i for i in t) for t in triangles]

    def box(self, low, high, turn_deg=0, at=(0, 0, 0)):
        c, s = math.cos(math.radians(turn_deg)), math.sin(math.radians(turn_deg))
        corners = [tuple((low, high)[i >> k & 1][k] for k in range(3)) for i in range(8)]
        self.add([(c * x + s * z + at[0], y + at[1], -s * x + c * z + at[2]) for x, y, z in corners], BOX)


def landing():
    mesh = Mesh()
    mesh.box((-1.75, -0.5, -17), (12, 0, 9.5))           # the deck
    mesh.box((-2.35, -2.5, -17), (-1.76, 0.13, 9.5))     # its edge course and the wall below
    front, side, rear, right, eaves, ridge = -2.985, 2.585, -11, 9.0, 2.7, 4.4
    outline = [(side, 0), (right, 0), (right, eaves), ((side + right) / 2, ridge), (side, eaves)]
    mesh.add([(x, y, front) for x, y in outline] + [(x, y, rear) for x, y in outline],
             [(0, 1, 2), (0, 2, 4), (4, 2, 3), (5, 7, 6), (5, 9, 7), (9, 8, 7), (0, 4, 5), (4, 9, 5), (1, 6, 2), (2, 6, 7), (2, 7, 3), (3, 7, 8), (3, 8, 4), (4, 8, 9)])
    for (length, height, depth), turn, at in CRATES:
        mesh.box((-length / 2 - 0.013, 0, -depth / 2 - 0.013), (length / 2 + 0.013, height + 0.006, depth / 2 + 0.013), turn, at)
    return mesh


def main():
    mesh = landing()
    with open(sys.argv[1], "w") as file:
        file.write("# The ferry landing, a made-up set: metres, Y up\no landing\n")
        file.writelines(f"v {x:.4f} {y:.4f} {z:.4f}\n" for x, y, z in mesh.points)
        file.writelines(f"f {a} {b} {c}\n" for a, b, c in mesh.triangles)


if __name__ == "__main__":
    main()
