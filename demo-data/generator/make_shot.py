#!/usr/bin/python3
"""Renders the demo shot "ferry landing at dusk" from nothing: pictures, lens, blur, noise, clip and truth.

    ./make_shot.py --work /tmp/ferry            everything (about 40 minutes on 2 cores)
    ./make_shot.py --work /tmp/ferry --verify   only: truth against rendered markers
    ./make_shot.py --work /tmp/ferry --look 1 60 120   only: a few finished frames as PNG

Needs povray, ffmpeg and python3-numpy. Conventions as everywhere in the project: pixels x right, y down, centre of
the first pixel (0.5, 0.5); camera x right, y down, z forward; world right-handed, Y up, metres; lens of
Brown (1971): normalised (x/z, y/z) to pixels in closed form.
"""
import argparse
import json
import math
import os
import subprocess
from concurrent.futures import ThreadPoolExecutor

import numpy as np

HERE = os.path.dirname(os.path.abspath(__file__))
WIDTH, HEIGHT, FPS, FRAMES = 1280, 720, 24, 120
FOCAL_PX, CX, CY = 1124.0, 649.7, 353.2
K1, K2, P1, P2 = -0.112, 0.031, 0.0007, -0.0005
SENSOR_MM = 23.8
SHUTTER = 0.24            # of a frame
SUBFRAMES = 4             # over the shutter; they also make anti-aliasing and soft shadows
MARKER_ZOOM = 4           # markers are rendered larger, so that their centroids are sharp
RENDER_W, RENDER_H = 1416, 812  # pinhole pictures, wide enough for the barrel-shaped lens
NOISE = 1.1 / 255
# Sub-pixel offsets and light shifts of the sub-frames.
JITTER = [(-0.375, -0.125), (0.125, -0.375), (-0.125, 0.375), (0.375, 0.125)]
DEPTH_FRAMES = [1, 15, 30, 45, 60, 75, 90, 105, 120]
DEPTH_W, DEPTH_H = 160, 90
KEY = [(-5, 0, 3), (4, 2, -4), (-2, -2, -5), (3, 1, 5)]


def smoothstep(a, b, t):
    u = min(max((t - a) / (b - a), 0.0), 1.0)
    return u * u * u * (u * (6 * u - 15) + 10)


def rotation(axis, angle_rad):
    c, s = math.cos(angle_rad), math.sin(angle_rad)
    x, y, z = axis
    return np.array([[c + x * x * (1 - c), x * y * (1 - c) - z * s, x * z * (1 - c) + y * s],
                     [y * x * (1 - c) + z * s, c + y * y * (1 - c), y * z * (1 - c) - x * s],
                     [z * x * (1 - c) - y * s, z * y * (1 - c) + x * s, c + z * z * (1 - c)]])


def pose(frame):
    """World-from-camera rotation and centre at a (fractional) frame number, 1 to FRAMES: a walk, hand-held."""
    t = (frame - 1) / (FRAMES - 1)
    s = (frame - 1) / FPS
    walk = 0.25 * t + 0.75 * smoothstep(-0.15, 1.1, t)
    step = 2 * math.pi * 1.75 * s
    centre = np.array([-0.35 + 1.35 * walk + 0.022 * math.sin(step / 2 + 0.4) + 0.008 * math.sin(2.9 * s),
                       1.60 + 0.019 * math.sin(step) + 0.012 * math.sin(1.3 * s + 1),
                       6.3 - 4.2 * walk + 0.011 * math.sin(step + 1.1)])
    yaw = math.radians(-9 + 41 * smoothstep(0.2, 0.98, t) + 0.35 * math.sin(step / 2) + 0.55 * math.sin(2.3 * s + 0.5) + 0.12 * math.sin(17.1 * s))
    pitch = math.radians(-8.5 + 3.0 * smoothstep(0.3, 0.9, t) + 0.30 * math.sin(step + 0.6) + 0.4 * math.sin(1.7 * s) + 0.10 * math.sin(19.7 * s + 2))
    roll = math.radians(0.5 * math.sin(step / 2 + 1.2) + 0.5 * math.sin(1.1 * s + 0.3))
    looking = np.array([[1, 0, 0], [0, -1, 0], [0, 0, -1]], float)  # level, towards -Z
    return rotation((0, 1, 0), -yaw) @ rotation((1, 0, 0), pitch) @ rotation((0, 0, 1), roll) @ looking, centre


def distort(x, y):
    """Normalised to pixels (Brown 1971)."""
    r2 = x * x + y * y
    radial = 1 + r2 * (K1 + r2 * K2)
    return (FOCAL_PX * (x * radial + 2 * P1 * x * y + P2 * (r2 + 2 * x * x)) + CX,
            FOCAL_PX * (y * radial + P1 * (r2 + 2 * y * y) + 2 * P2 * x * y) + CY)


def undistort(u, v):
    """Pixels to normalised, by Newton steps on distort with numeric slopes."""
    x, y = (u - CX) / FOCAL_PX, (v - CY) / FOCAL_PX
    for _ in range(20):
        a, b = distort(x, y)
        e = 1e-6
        ax, bx = distort(x + e, y)
        ay, by = distort(x, y + e)
        j11, j12, j21, j22 = (ax - a) / e, (ay - a) / e, (bx - b) / e, (by - b) / e
        det = j11 * j22 - j12 * j21
        x, y = x + (j22 * (u - a) - j12 * (v - b)) / det, y + (j11 * (v - b) - j21 * (u - a)) / det
    return x, y


def vector(v):
    return "<" + ",".join(f"{c:.12g}" for c in v) + ">"


def write_camera(folder, frame, sub, mode):
    world_from_camera, centre = pose(frame)
    right, down, forward = world_from_camera.T
    dx, dy = JITTER[sub] if mode == 0 else (0, 0)
    w, h = (RENDER_W, RENDER_H) if mode != 2 else (MARKER_ZOOM * RENDER_W, MARKER_ZOOM * RENDER_H)
    scale = w / RENDER_W
    direction = FOCAL_PX * scale * forward - dx * right - dy * down  # the picture moves by (dx, dy) px
    shift = KEY[sub] if mode == 0 else (0, 0, 0)
    os.makedirs(folder, exist_ok=True)
    with open(f"{folder}/camera.inc", "w") as f:
        f.write(f"#declare Cam_Pos = {vector(centre)};\n#declare Cam_Right = {vector(right * w)};\n"
                f"#declare Cam_Up = {vector(-down * h)};\n#declare Cam_Dir = {vector(direction)};\n"
                f"#declare Key_Shift = {vector(shift)};\n#declare Mode = {mode};\n")
    return w, h


def render(folder, frame, sub, mode):
    """One pinhole picture, linear light, as an array h x w x 3."""
    w, h = write_camera(folder, frame, sub, mode)
    out = f"{folder}/picture.ppm"
    done = subprocess.run(["povray", f"+I{HERE}/ferry_landing.pov", f"+L{folder}", f"+L{HERE}", f"+O{out}", f"+W{w}", f"+H{h}", "+FP16",
                           "File_Gamma=1.0", "-D", "-A", "+WT1", "-GA"], cwd=folder, capture_output=True, text=True)
    if done.returncode != 0:
        raise SystemExit(f"povray failed on frame {frame}:\n{done.stderr[-3000:]}")
    raw = open(out, "rb").read()
    header = raw.split(b"\n", 3)
    offset = len(raw) - w * h * 6
    assert header[0] == b"P6"
    return np.frombuffer(raw, ">u2", offset=offset).reshape(h, w, 3).astype(np.float32) / 65535


class Lens:
    """Resamples pinhole pictures into the lens's picture (bicubic, Catmull and Rom 1974)."""

    def __init__(self):
        v, u = np.mgrid[0:HEIGHT, 0:WIDTH] + 0.5
        x, y = undistort(u, v)
        self.px = x * FOCAL_PX + RENDER_W / 2 - 0.5
        self.py = y * FOCAL_PX + RENDER_H / 2 - 0.5
        assert self.px.min() > 2 and self.py.min() > 2 and self.px.max() < RENDER_W - 3 and self.py.max() < RENDER_H - 3, "render larger"

    def apply(self, picture):
        ix, iy = np.floor(self.px).astype(int), np.floor(self.py).astype(int)
        wx, wy = self.weights(self.px - ix), self.weights(self.py - iy)
        out = np.zeros((HEIGHT, WIDTH, 3), np.float32)
        for j in range(4):
            row = np.zeros_like(out)
            for i in range(4):
                row += wx[i][..., None] * picture[iy + j - 1, ix + i - 1]
            out += wy[j][..., None] * row
        return out

    @staticmethod
    def weights(t):
        t = t.astype(np.float32)
        return (((-0.5 * t + 1) * t - 0.5) * t, (1.5 * t - 2.5) * t * t + 1, ((-1.5 * t + 2) * t + 0.5) * t, (0.5 * t - 0.5) * t * t)


def finish(linear, frame):
    """Exposure, soft shoulder, a little vignette, sRGB, sensor noise; 8 bits."""
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH]
    r2 = ((u - CX) ** 2 + (v - CY) ** 2) / (WIDTH / 2) ** 2
    x = np.clip(linear, 0, None) * 1.05 * (1 - 0.10 * r2)[..., None].astype(np.float32)
    x = np.where(x < 0.4, x, 0.4 + 0.6 * (1 - np.exp(-(x - 0.4) / 0.6)))
    x = np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(np.maximum(x, 1e-6), 1 / 2.4) - 0.055)
    x = x + np.random.default_rng(frame).normal(0, NOISE, x.shape)
    return (np.clip(x, 0, 1) * 255 + 0.5).astype(np.uint8)


def shot_frame(work, lens, frame):
    path = f"{work}/frames/{frame:04d}.npy"
    if os.path.exists(path):
        return np.load(path)
    total = np.zeros((HEIGHT, WIDTH, 3), np.float32)
    for sub in range(SUBFRAMES):
        at = frame + SHUTTER * ((sub + 0.5) / SUBFRAMES - 0.5)  # symmetric about the frame's own time
        total += lens.apply(render(f"{work}/job{frame:04d}", at, sub, 0)) / SUBFRAMES
    picture = finish(total, frame)
    np.save(path + ".part.npy", picture)
    os.replace(path + ".part.npy", path)
    return picture


def survey(work, count=240):
    """Static points: rays through spread pixels of several frames, met with the scene by POV-Ray itself."""
    rng = np.random.default_rng(8)
    rays = []
    for frame in (1, 25, 50, 75, 100, 120):
        rotation_, centre = pose(frame)
        for j in range(6):
            for i in range(9):
                u, v = (i + 0.2 + 0.6 * rng.random()) * WIDTH / 9, (j + 0.2 + 0.6 * rng.random()) * HEIGHT / 6
                x, y = undistort(np.array(u), np.array(v))
                rays.append((centre, centre + rotation_ @ np.array([float(x), float(y), 1.0])))
    points = {i: p for i, p in cast(f"{work}/survey", rays).items() if p[2] > -16}
    kept = [points[i] for i in sorted(points)][:count]
    visible = [[] for _ in kept]
    for frame in range(1, FRAMES + 1):
        rotation_, centre = pose(frame)
        inside = []
        for n, p in enumerate(kept):
            x, y, z = rotation_.T @ (p - centre)
            if z > 0.2:
                u, v = distort(x / z, y / z)
                if 0 <= u <= WIDTH and 0 <= v <= HEIGHT and abs(x / z) < 0.8 and abs(y / z) < 0.5:
                    inside.append(n)
        hits = cast(f"{work}/survey", [(centre, kept[n]) for n in inside])
        for k, n in enumerate(inside):
            if k in hits and np.linalg.norm(hits[k] - kept[n]) < 2e-3:
                visible[n].append(frame)
    good = [n for n in range(len(kept)) if len(visible[n]) >= 8]
    return [(kept[n], visible[n]) for n in good]


def cast(folder, rays):
    os.makedirs(folder, exist_ok=True)
    with open(f"{folder}/rays.inc", "w") as f:
        for name, k in (("Ray_From", 0), ("Ray_To", 1)):
            f.write(f"#declare {name} = array[{len(rays)}] {{{','.join(vector(r[k]) for r in rays)}}}\n")
    write_camera(folder, 1, 0, 1)
    subprocess.run(["povray", f"+I{HERE}/ferry_landing.pov", f"+L{folder}", f"+L{HERE}", "-F", "+W4", "+H4", "-D", "-GA"], cwd=folder, capture_output=True, check=True)
    rows = [line.split() for line in open(f"{folder}/survey.txt")]
    return {int(r[0]): np.array([float(c) for c in r[1:]]) for r in rows}


def write_depth(work, out):
    """How deep the landing lies along the axis at a grid of pixels, in millimetres as 16 bits, frame below frame; 0: something else is seen there."""
    rows = []
    for frame in DEPTH_FRAMES:
        rotation_, centre = pose(frame)
        step = WIDTH // DEPTH_W
        u, v = np.meshgrid((np.arange(DEPTH_W) + 0.5) * step, (np.arange(DEPTH_H) + 0.5) * step)
        x, y = undistort(u, v)
        rays = [(centre, centre + rotation_ @ np.array([a, b, 1.0])) for a, b in zip(x.ravel(), y.ravel())]
        depth = np.zeros(DEPTH_W * DEPTH_H, np.uint16)
        for i, p in cast(f"{work}/survey", rays).items():
            depth[i] = min(65535, round(1000 * float((rotation_.T @ (p - centre))[2])))
        rows.append(depth)
    subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "gray16le", "-s", f"{DEPTH_W}x{DEPTH_H * len(rows)}", "-i", "-", "-frames:v", "1", "-pred", "mixed", out],
                   input=b"".join(r.tobytes() for r in rows), check=True)
    print(f"depth of frames {DEPTH_FRAMES} in {out}")


def matrix(frame):
    rotation_, centre = pose(frame)
    return [[*map(float, rotation_[r]), float(centre[r])] for r in range(3)] + [[0, 0, 0, 1]]


def write_truth(work, out):
    points = survey(work)
    truth = {
        "format": "dusky-moth-truth", "version": 1,
        "footage": {"path": "ferry-landing.mp4", "width": WIDTH, "height": HEIGHT, "fps": FPS, "first": 1, "last": FRAMES},
        "units": "metres", "sensor_width_mm": SENSOR_MM,
        "frames": [{"frame": n, "image": None, "camera": "A", "world_from_camera": matrix(n)} for n in range(1, FRAMES + 1)],
        "cameras": {"A": {"width": WIDTH, "height": HEIGHT, "lens": {"model": "brown", "parameters": {
            "focal_px": FOCAL_PX, "cx_px": CX, "cy_px": CY, "k1": K1, "k2": K2, "k3": 0.0, "p1": P1, "p2": P2}}}},
        "points": [{"id": n, "xyz": [round(float(c), 6) for c in p], "visible": seen} for n, (p, seen) in enumerate(points)],
    }
    with open(out, "w") as f:
        json.dump(truth, f, separators=(",", ":"))
    print(f"{len(points)} static points in {out}")


def verify(work, truth_path):
    """Renders the truth's points as small glowing spheres and compares their centroids with their projections."""
    truth = json.load(open(truth_path))
    worst, squares, count, mean = 0.0, 0.0, 0, np.zeros(2)
    zoom, reach = MARKER_ZOOM, 5 * MARKER_ZOOM
    for frame in (1, 40, 80, 120):
        rotation_, centre = pose(frame)
        folder = f"{work}/markers"
        os.makedirs(folder, exist_ok=True)
        wanted = []
        with open(f"{folder}/markers.inc", "w") as f:
            for p in truth["points"]:
                c = rotation_.T @ (np.array(p["xyz"]) - centre)
                if c[2] > 0.2 and abs(c[0] / c[2]) < 0.6 and abs(c[1] / c[2]) < 0.34:
                    f.write(f"sphere {{ {vector(p['xyz'])}, {c[2] * 2.5 / FOCAL_PX:.9g} pigment {{ rgb 1 }} finish {{ ambient 0 diffuse 0 emission 1 }} }}\n")
                    wanted.append((c[0] / c[2], c[1] / c[2]))
        picture = render(folder, frame, 0, 2)[..., 0]
        for x, y in wanted:
            if any((x - a) ** 2 + (y - b) ** 2 < (18 / FOCAL_PX) ** 2 for a, b in wanted if (a, b) != (x, y)):
                continue  # a neighbour would share the window
            px, py = (x * FOCAL_PX + RENDER_W / 2) * zoom, (y * FOCAL_PX + RENDER_H / 2) * zoom
            i, j = int(px), int(py)
            window = picture[j - reach:j + reach + 1, i - reach:i + reach + 1]
            jj, ii = np.mgrid[j - reach:j + reach + 1, i - reach:i + reach + 1] + 0.5
            mx, my = (window * ii).sum() / window.sum(), (window * jj).sum() / window.sum()
            mu, mv = distort((mx / zoom - RENDER_W / 2) / FOCAL_PX, (my / zoom - RENDER_H / 2) / FOCAL_PX)
            u, v = distort(x, y)
            error = math.hypot(mu - u, mv - v)
            mean += (mu - u, mv - v)
            worst, squares, count = max(worst, error), squares + error * error, count + 1
    print(f"{count} markers in 4 frames: RMS {math.sqrt(squares / count):.4f} px, worst {worst:.4f} px, mean ({mean[0] / count:+.4f}, {mean[1] / count:+.4f}) px")
    if worst >= 0.1:
        raise SystemExit("the truth does not agree with the picture")


def save_png(path, picture):
    subprocess.run(["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{WIDTH}x{HEIGHT}", "-i", "-", path], input=picture.tobytes(), check=True)


def encode(work, out):
    command = ["ffmpeg", "-v", "error", "-y", "-f", "rawvideo", "-pix_fmt", "rgb24", "-s", f"{WIDTH}x{HEIGHT}", "-r", str(FPS), "-i", "-",
               "-vf", "scale=out_color_matrix=bt709:out_range=tv", "-c:v", "libx264", "-preset", "slower", "-crf", "22", "-pix_fmt", "yuv420p", "-colorspace", "bt709",
               "-color_primaries", "bt709", "-color_trc", "bt709", "-movflags", "+faststart", out]
    data = b"".join(np.load(f"{work}/frames/{n:04d}.npy").tobytes() for n in range(1, FRAMES + 1))
    subprocess.run(command, input=data, check=True)
    print(f"{out}: {os.path.getsize(out) / 1e6:.2f} MB")


def main():
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--work", required=True, help="folder for pictures on the way; a second run goes on where the first stopped")
    parser.add_argument("--out", default=os.path.dirname(HERE), help="folder for ferry-landing.mp4 and ferry-landing.truth.json")
    parser.add_argument("--verify", action="store_true", help="only check the truth against rendered markers")
    parser.add_argument("--encode", action="store_true", help="only make the clip from the finished frames")
    parser.add_argument("--truth", action="store_true", help="only make the truth file")
    parser.add_argument("--depth", action="store_true", help="only make the depths of some frames")
    parser.add_argument("--look", type=int, nargs="+", help="only these frames, as PNG in the work folder")
    options = parser.parse_args()
    os.makedirs(f"{options.work}/frames", exist_ok=True)
    lens = Lens()
    clip, truth = f"{options.out}/ferry-landing.mp4", f"{options.out}/ferry-landing.truth.json"
    if options.look:
        with ThreadPoolExecutor(2) as pool:
            for n, picture in zip(options.look, pool.map(lambda n: shot_frame(options.work, lens, n), options.look)):
                save_png(f"{options.work}/look{n:04d}.png", picture)
        return
    if options.depth:
        return write_depth(options.work, f"{options.out}/ferry-landing.depth.png")
    if not options.encode and not options.verify:
        write_truth(options.work, truth)
    if not options.encode and not options.truth:
        verify(options.work, truth)
    if options.verify or options.truth:
        return
    if not options.encode:
        with ThreadPoolExecutor(2) as pool:
            for n, _ in enumerate(pool.map(lambda n: shot_frame(options.work, lens, n) is None, range(1, FRAMES + 1)), 1):
                print(f"frame {n} of {FRAMES}", flush=True)
    encode(options.work, clip)


if __name__ == "__main__":
    main()
