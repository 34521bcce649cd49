"""KP090: the courier before the green cloth once more, the camera in the hand, and where letter and hand are in truth."""
import numpy as np

from . import engine
from .courier import FOVX, FPS, SHUTTER, H, Stage, W, CAM_O, CAM_T
from .engine import mi, dr

START = 2.13                                        # s: another stretch of the courier's motion than KP010's
SEAL = (.5, 132 / 256)                              # u, v of the seal's middle on the letter


def sway(t, k, size):
    """a hand's sway: slow sines whose periods share no common measure"""
    return size * sum(np.sin(2 * np.pi * hz * t + 1.7 * k + 2.1 * j) / (1 + .6 * j) for j, hz in enumerate((.37, .83, 1.9, 3.1))) / 1.8


def camera(t):
    """seconds -> eye, target, up"""
    eye = CAM_O + np.array([sway(t, 1, 1.6), sway(t, 2, 1.1), sway(t, 3, 1.3)])
    aim = CAM_T + np.array([sway(t, 4, 1.8), sway(t, 5, 1.3), 0.])
    roll = np.radians(sway(t, 6, .7))
    return eye, aim, np.array([np.sin(roll), np.cos(roll), 0.])


def matrices(t):
    """OpenCV convention: x right, y down, z forward; the centre of the first pixel is (.5, .5)"""
    o, g, u = camera(t); z = (g - o) / np.linalg.norm(g - o); x = np.cross(z, u); x /= np.linalg.norm(x); y = np.cross(z, x)
    R = np.stack([x, y, z]); fpx = W / 2 / np.tan(np.radians(FOVX / 2))
    return np.array([[fpx, 0, W / 2], [0, fpx, H / 2], [0, 0, 1]]), R, -R @ o


def project(P, t):
    K, R, s = matrices(t); p = (np.asarray(P, float) @ R.T + s) @ K.T
    return p[..., :2] / p[..., 2:]


def places(puppet, t):
    """the seal's middle and the hand's, cm"""
    out = {nm: g[0] for kind, nm, g, _ in puppet.parts(t, fast_only=True) if kind == 'mesh' and nm in ('letw', 'handR')}
    grid = out['letw'].reshape(14, 20, 3); x, y = SEAL[0] * 19, SEAL[1] * 13; i, j = int(y), int(x); a, b = y - i, x - j
    seal = (1 - a) * ((1 - b) * grid[i, j] + b * grid[i, j + 1]) + a * ((1 - b) * grid[i + 1, j] + b * grid[i + 1, j + 1])
    return {'seal': seal, 'hand': out['handR'].mean(axis=0)}


class Handheld(Stage):
    def __init__(self, screen='green'):
        super().__init__(screen); self.ps = mi.traverse(self.sensor)

    def frame(self, f, spp=16, sub=8, slow=4, aspp=32, nudge=0.):
        """one film frame; the seeds differ from frame to frame, as the camera moves"""
        acc = 0
        for k in range(sub):
            t = START + (f + SHUTTER * ((k + .5) / sub - .5)) / FPS
            self.move(t + nudge, fast_only=bool(k % max(sub // slow, 1)))
            M = mi.Transform4f().look_at(*[list(map(float, q)) for q in camera(t)]); dr.make_opaque(M); self.ps['to_world'] = M; self.ps.update()
            img = np.array(mi.render(self.scene, sensor=self.sensor, integrator=self.beauty, spp=max(spp // sub, 1), seed=f * 100 + k))
            if aspp: img[..., 3] = np.array(mi.render(self.scene, sensor=self.sensor, integrator=self.matte, spp=max(aspp // sub, 1), seed=f * 100 + 7777 + k))[..., 3]
            acc = acc + img
        return acc / sub

    def truth(self, frames, nudges=()):
        """the camera, and where the seal and the hand lie in each frame, px, at the middle of the shutter; `nudges`: s by which
        the puppet of some frames was moved on"""
        nudges = dict(nudges)
        doc = dict(convention='OpenCV: X_cam = R X + t, x right, y down, z forward, pixel = K X_cam / z; centre of the first pixel (0.5, 0.5); cm; time = shutter centre; no lens distortion',
                   width=W, height=H, fps=FPS, shutter=SHUTTER, frames=[])
        for f in frames:
            t = START + f / FPS; K, R, s = matrices(t)
            doc['frames'].append(dict(frame=1001 + f, K=np.round(K, 5).tolist(), R=np.round(R, 9).tolist(), t=np.round(s, 6).tolist(),
                                      **{k: np.round(project(P, t), 3).tolist() for k, P in places(self.puppet, t + nudges.get(f, 0.)).items()}))
        return doc
