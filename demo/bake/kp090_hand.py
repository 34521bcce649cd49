"""Render KP090 'The letter held up': the courier, the camera in the hand.  Linear frames as .npz, existing ones are skipped; --truth writes where things are (after the frames: some are nudged in time, see README).

    python kp090_hand.py --work WORK/KP090 --frames 0-35
    python kp090_hand.py --work WORK/KP090 --frames 0-35 --truth places.json
"""
import json
import os
import time

import numpy as np

from kitepost import cli

A = cli.arguments(__doc__, spp=16, sub=8, aspp=32, extra=lambda ap: ap.add_argument('--truth'))
from kitepost import engine, handheld                      # after the thread count is set

nudge = 2e-4 * int(os.environ.get('KP_ATTEMPT', 0))         # set by retry.sh; for the first missing frame only
stage = None
if A.truth:
    nudges = {f: float(np.load(p)['nudge']) for f in A.frames if os.path.exists(p := os.path.join(A.work, f'hand.{f:04d}.npz'))}
    json.dump(handheld.Handheld().truth(A.frames, nudges), open(A.truth, 'w'), separators=(',', ':'))
    A.frames = []
for f in A.frames:
    out = cli.target(A.work, 'hand', f)
    if out is None: continue
    if stage is None: stage = handheld.Handheld()
    t0 = time.time()
    im = stage.frame(f, A.spp, A.sub, aspp=A.aspp, nudge=nudge)
    own, nudge = nudge, 0.
    t1 = time.time()
    dn = engine.denoise(im[..., :3], im[..., 7:10], im[..., 10:13])
    cli.store(out, rgb=dn.astype(np.float16), alpha=im[..., 3].astype(np.float32), nudge=np.array(own))
    print(f'{f}: render {t1 - t0:.1f} s, denoise {time.time() - t1:.1f} s', flush=True)
