"""Render what a small lamp beside the courier adds to KP010, alone, linear: the truth that added light is measured against. One .npz per frame in --work.

    python kp010_lamp.py --work WORK/KP010lamp --frames 3,16,30

The lamp stands at LAMP (cm), does not show itself, and gives `INTENSITY`; all other lights are off.
"""

import time

import numpy as np

from kitepost import cli

A = cli.arguments(__doc__, spp=32, sub=4, aspp=0)
from kitepost import courier, engine  # after the thread count is set

LAMP, INTENSITY = [11.0, 15.5, 9.5], [52.0, 27.0, 9.5]

if __name__ == '__main__':
    courier.lights = lambda: {'lamp': {'type': 'point', 'position': LAMP, 'intensity': engine.rgb(*INTENSITY)}}
    stage = None
    for f in A.frames:
        out = cli.target(A.work, 'lamp', f)
        if out is None: continue
        if stage is None: stage = courier.Stage('green', True, courier.CROP)
        t0 = time.time()
        im = stage.frame(f, A.spp, A.sub, aspp=0)
        dn = engine.denoise(im[..., :3], im[..., 7:10], im[..., 10:13])
        cli.store(out, rgb=dn.astype(np.float16), crop=np.array(courier.CROP))
        print(f'lamp {f}: {time.time() - t0:.1f} s', flush=True)
