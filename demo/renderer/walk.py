#!/usr/bin/env python3
"""Render the walk through the glassworks: 60 frames of the furnace scene, from its mouth to the window.

    python walk.py [--width 640] [--spp 3] [--extra 5] [--frames 60] [--out out] [--only 0,30,59]

Written as sRGB pictures in a clip of 1280 x 720, as a real-time engine hands its frames to a LUT, with where the
camera stands in each frame and two zones on the floor beside it (walk.json).
"""
import argparse
import json
import os
import time
from fractions import Fraction
import av
import numpy as np
from PIL import Image
import colour as C
import deliver as D
from render_saltglass import bloom, combine, denoise, trace_scene
from scenes import SHOTS

# Where the eye stands and looks, at shares of the way; between them a smooth curve.
WAY = (
    (0.00, (-0.55, 1.52, 3.30), (-0.95, 1.12, 0.0)),
    (0.35, (0.05, 1.55, 3.55), (-0.55, 1.15, 0.0)),
    (0.70, (0.95, 1.57, 3.60), (0.55, 1.35, -0.8)),
    (1.00, (1.45, 1.58, 3.30), (1.12, 1.60, -1.2)),
)
# Two zones on the floor (x, z in metres): all of the look within `radius`, none `soft` metres beyond it.
ZONES = (
    dict(name="by the furnace", centre=(-0.55, 3.30), radius=0.55, soft=0.9),
    dict(name="by the window", centre=(1.45, 3.30), radius=0.45, soft=0.9),
)


def along(t):
    """The eye and what it looks at, at a share of the way: Catmull-Rom through the points."""
    ts = [w[0] for w in WAY]
    i = max(0, min(len(WAY) - 2, int(np.searchsorted(ts, t, side="right")) - 1))
    u = (t - ts[i]) / (ts[i + 1] - ts[i])
    p = [np.concatenate([WAY[min(max(k, 0), len(WAY) - 1)][1:]]).reshape(-1) for k in range(i - 1, i + 3)]
    q = .5 * (2 * p[1] + (p[2] - p[0]) * u + (2 * p[0] - 5 * p[1] + 4 * p[2] - p[3]) * u * u + (3 * p[1] - p[0] - 3 * p[2] + p[3]) * u ** 3)
    return q[:3], q[3:]


def main():
    ap = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ap.add_argument("--width", type=int, default=640)
    ap.add_argument("--spp", type=int, default=3)
    ap.add_argument("--extra", type=int, default=5)
    ap.add_argument("--frames", type=int, default=60)
    ap.add_argument("--only", default="", help="write these frames alone, as PNG")
    ap.add_argument("--out", default="out")
    ap.add_argument("--work", default="work", help="frames are kept here: what is there is not rendered again")
    a = ap.parse_args()
    W, H = a.width, a.width * 9 // 16
    os.makedirs(a.out, exist_ok=True); os.makedirs(a.work, exist_ok=True)
    s = SHOTS["furnace"]().build()
    eyes, t0 = [], time.time()
    chosen = [int(f) for f in a.only.split(",") if f] or range(a.frames)
    for f in chosen:
        eye, target = along(D.ease(f / (a.frames - 1)))
        eyes.append(eye)
        kept = f"{a.work}/walk{f:03}_{W}.png"
        if os.path.exists(kept):
            continue
        s.camera(eye, target, 52, .006, 3.4)
        groups = denoise(*trace_scene(s, W, H, a.spp, a.extra)) * np.float32(s.exposure)
        img = bloom(combine(groups), s.bloom)
        if W != 1280:                                    # rendered smaller to save time: enlarged in the log domain
            img = C.tarn_log_inverse(D.resize(C.tarn_log(img), 1280, 720))
        soft = D.soften(C.encode(img, s.space), .013)
        img = C.tarn_log_inverse(soft) @ C.matrix("tarn_wide", s.space).T
        Image.fromarray(D.to8(np.clip(C.view(img, s.space), 0, 1))).save(kept)
        print(f, "%.0f s" % (time.time() - t0), flush=True)
    if a.only:
        return
    box = av.open(f"{a.out}/walk.mov", "w")
    st = box.add_stream("libx264", rate=24)
    st.width, st.height, st.pix_fmt = 1280, 720, "yuv420p"
    st.time_base = Fraction(1, 24)
    c = st.codec_context
    c.color_range, c.colorspace, c.color_primaries, c.color_trc = 2, 1, 1, 13     # full, BT.709, sRGB
    st.options = {"crf": "18", "preset": "slow", "x264-params": "fullrange=on:colormatrix=bt709:colorprim=bt709:transfer=iec61966-2-1"}
    for i, f in enumerate(chosen):
        rgb = np.asarray(Image.open(f"{a.work}/walk{f:03}_{W}.png").convert("RGB"), np.float32) / 255
        y = rgb @ np.array([.2126, .7152, .0722], np.float32)
        planes = [y * 255]
        for q in ((rgb[..., 2] - y) / 1.8556, (rgb[..., 0] - y) / 1.5748):
            p = np.pad(q, ((0, 0), (1, 1)), mode="edge")     # left-sited 1 2 1, centred between lines
            q = (p[:, 0:-2:2] + 2 * p[:, 1:-1:2] + p[:, 2::2]) / 4
            planes.append((q[0::2] + q[1::2]) / 2 * 255 + 128)
        fr = av.VideoFrame(1280, 720, "yuv420p")
        for p, q in zip(fr.planes, planes):
            row = np.zeros((q.shape[0], p.line_size), np.uint8)
            row[:, :q.shape[1]] = np.clip(np.floor(q + .5), 0, 255)
            p.update(row.tobytes())
        fr.pts, fr.time_base = i, Fraction(1, 24)
        fr.color_range, fr.colorspace, fr.color_primaries, fr.color_trc = 2, 1, 1, 13
        for pk in st.encode(fr):
            box.mux(pk)
    for pk in st.encode(None):
        box.mux(pk)
    box.close()
    json.dump(dict(clip="walk.mov", rate=24, unit="metres on the floor, x to the right and z towards the bench",
                   zones=[dict(z, centre=list(z["centre"])) for z in ZONES],
                   eyes=[[round(float(e[0]), 3), round(float(e[2]), 3)] for e in eyes]), open(f"{a.out}/walk.json", "w"), indent=1)


if __name__ == "__main__":
    main()
