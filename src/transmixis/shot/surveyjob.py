"""A survey without a project: one plate in, one report out (what the command line prints and the findings page shows)."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.survey.plate import PlateSurvey
from transmixis.shot.bare import bare_shot
from transmixis.shot.cutjob import reading_dict
from transmixis.shot.keyjob import KeyJob, key_shot
from transmixis.shot.looks import plate_findings, screen
from transmixis.shot.material import Material
from transmixis.shot.platejobs import clean_part
from transmixis.shot.render import Renderer
from transmixis.shot.steps import KINDS
from transmixis.shot.workorder import add_step


def survey_report(plate: Path, clean: Path | None, space: str | None, progress: Progress) -> dict[str, Any]:
    """Everything measured of a plate: what it is, the verdicts, the findings, and the readings of every frame."""
    shot, source = bare_shot(plate, space)
    for kind in KINDS.values():
        if kind.tells_topics:
            shot, _ = add_step(shot, kind.kind)
    renderer = Renderer(shot, Material(Path.cwd()))
    whole = renderer.surveys.whole(renderer, "plate:hero", progress)
    info = source.info
    frames = [
        {"frame": n, "steps": {s.id: [reading_dict(r) for r in renderer.measure(s.id, n)] for s in shot.steps}}
        for n in range(1, shot.length + 1)
    ]
    return {
        "plate": {**info.__dict__, "rate": str(info.rate) if info.rate else None},
        "findings": [asdict(f) for f in plate_findings(renderer, "plate:hero")],
        "camera": camera_part(whole),
        "exposure": exposure_part(whole),
        "timing": asdict(whole.timing),
        "blur": [{"frame": i + 1, "length": b.length, "direction": b.direction} for i, b in enumerate(whole.blurs)],
        "noise": noise_part(whole),
        "dust": {
            "spots": [{k: float(v) for k, v in asdict(s).items()} for s in whole.dust.spots],
            "reason": whole.dust.reason,
            "seen": whole.dust.seen,
        },
        "intruders": [asdict(i) for i in whole.intruders],
        "clean": clean_part(plate, clean, space, progress) if clean else None,
        "screen": screen_part(plate, clean, space),
        "frames": frames,
    }


def camera_part(s: PlateSurvey) -> dict[str, Any]:
    """Verdict and path; x and y px, turn degrees anticlockwise, grow factor, error px; null where not measured."""
    p = s.path
    rows = [
        {"frame": i + 1, "x": _n(p.x[i]), "y": _n(p.y[i]), "turn": _n(p.turn[i]), "grow": _n(p.grow[i]), "error": _n(p.error[i])}
        for i in range(s.count)
    ]  # fmt: skip
    return {**asdict(s.steadiness), "path": rows}


def exposure_part(s: PlateSurvey) -> dict[str, Any]:
    """Gains against the first frame (factors per channel), and flicker in stops."""
    against = s.gains.against(1)
    warm = s.colour_drift(1)
    rows = [
        {"frame": i + 1, "gain": [_n(2**v) for v in against[i]], "flicker": _n(s.flicker[i].mean()), "mired": _n(warm[i])}
        for i in range(s.count)
    ]
    return {"reason": s.gains.reason, "frames": rows}


def noise_part(s: PlateSurvey) -> dict[str, Any] | None:
    """Variance = a * signal + b for red, green, blue, linear; the correlation of the noise with its neighbour."""
    if s.noise is None:
        return None
    law = [{"channel": c, "a": float(a), "b": float(b)} for c, (a, b) in zip("RGB", s.noise.law, strict=True)]
    return {"law": law, "neighbours": s.noise.neighbours}


def _n(v: Any) -> float | None:
    return float(v) if np.isfinite(v) else None


def screen_part(plate: Path, clean: Path | None, space: str | None) -> dict[str, Any] | None:
    """Readings of the screen on the first, middle and last frame; None if there is no screen."""
    shot, _ = key_shot(KeyJob(plate, clean=clean, space=space))
    renderer = Renderer(shot, Material(Path.cwd()))
    try:
        a = renderer.analysis("key")
    except UserError:
        return None
    wanted = ("evenness", "separation", "spill left")
    frames = {
        n: [reading_dict(r) for r in renderer.measure("key", n) if r.name in wanted]
        for n in sorted({1, (shot.length + 1) // 2, shot.length})
    }
    return {
        **_screen_report(renderer, (shot.length + 1) // 2),
        "kind": str(a["kind"]),
        "colour_linear": [float(v) for v in a["colour"]],
        "notes": [str(n) for n in a["notes"]],
        "frames": frames,
    }


def _screen_report(renderer: Renderer, frame: int) -> dict[str, Any]:
    """The screen report of one frame as plain values; {} if that frame cannot be read."""
    try:
        r = screen(renderer, "key", frame)
    except UserError:
        return {}
    out = {k: v for k, v in asdict(r).items() if k not in ("map", "kind", "colour")}
    out["map"] = [[_n(v) for v in row] for row in r.map]
    out["frame"], out["level"] = frame, _n(r.level)
    return out


def report_text(r: dict[str, Any]) -> str:
    """The report as a page of plain findings."""
    info = r["plate"]
    lines = [
        f"{Path(info['path']).name}: {info['width']} x {info['height']}, {info['count']} frames, {info['depth']}, read as {info['space']}"
    ]
    lines += [f"  note: {n}" for n in info["notes"]]
    for f in r["findings"]:
        where = "" if (f["first"], f["last"]) == (1, info["count"]) else f" (frames {f['first']}–{f['last']})"
        lines.append(f"  {'FAULT' if f['bad'] else 'fine '}  {f['topic']}: {f['words']}{where}. {f['advice']}")
    if r["clean"]:
        lines.append(f"  clean plate: {r['clean']['words']}")
    screen = r["screen"]
    if screen:
        lines.append(f"  {screen['kind']} screen; " + "; ".join(screen["notes"]))
        if "verdict" in screen:
            lines.append(
                f"    {screen['verdict']}: even to {screen['evenness']:.2f} stops, {100 * screen['share']:.0f} % of the frame is bare "
                f"screen, wrinkles {screen['wrinkles']:.3f} stops, {len(screen['markers'])} markers"
            )
            lines += [f"    {a}" for a in screen["advice"]]
        for n, readings in screen["frames"].items():
            lines.append(f"    frame {n}: " + ", ".join(f"{q['name']} {_value(q)}" for q in readings))
    else:
        lines.append("  no green or blue screen found")
    return "\n".join(lines)


def _value(r: dict[str, Any]) -> str:
    return f"not measured ({r.get('note', '')})" if r["value"] is None else f"{r['value']:.3g} {r['unit']} of {r['limit']:.3g}"
