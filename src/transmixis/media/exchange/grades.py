"""Grades and colour tables in open formats: ASC CDL as .cc, .ccc or .cdl, tables as .cube."""

from __future__ import annotations

import re
from pathlib import Path
from xml.etree import ElementTree

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.finish.grade import LEAST, MOST, Cdl, Table, Triple
from transmixis.media.files import require_file, said

LARGEST = 40_000_000  # bytes
CDL_FILES, CUBE = (".cc", ".ccc", ".cdl"), ".cube"


def _text(path: Path) -> str:
    require_file(path)
    if path.stat().st_size > LARGEST:
        raise UserError(f"'{said(path.name)}' is larger than any grade or table; check which file it is.")
    try:
        return path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as e:
        raise UserError(f"'{said(path.name)}' is no text; a grade or a table is.") from e


def read_cdl(path: Path) -> Cdl:
    """The first correction of a file. Raises UserError where there is none."""
    text = _text(path)
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise UserError(f"'{said(path.name)}' declares things that a grade does not need; it is not read.")
    try:
        root = ElementTree.fromstring(text)
    except ElementTree.ParseError as e:
        raise UserError(f"'{said(path.name)}' is no XML ({e}); export the grade again.") from e
    found = {e.tag.rpartition("}")[2]: e.text or "" for e in reversed(list(root.iter()))}
    if not {"Slope", "Offset", "Power", "Saturation"} & set(found):
        raise UserError(f"'{said(path.name)}' holds no slope, offset, power or saturation.")

    def triple(name: str, usual: float) -> Triple:
        words = found.get(name, f"{usual} {usual} {usual}").split()
        values = _numbers(words, path, name)
        if len(values) != 3 or (name != "Offset" and min(values) < 0) or (name == "Power" and min(values) <= 0):
            raise UserError(f"'{said(path.name)}': {name} wants three numbers{'' if name == 'Offset' else ', none below zero'}.")
        return values[0], values[1], values[2]

    saturation = _numbers(found.get("Saturation", "1").split(), path, "Saturation")
    if len(saturation) != 1 or saturation[0] < 0:
        raise UserError(f"'{said(path.name)}': Saturation wants one number, not below zero.")
    return Cdl(triple("Slope", 1), triple("Offset", 0), triple("Power", 1), saturation[0])


def _numbers(words: list[str], path: Path, name: str) -> list[float]:
    try:
        values = [float(w) for w in words]
    except ValueError:
        raise UserError(f"'{said(path.name)}': {name} holds something that is no number.") from None
    if not np.isfinite(values).all():
        raise UserError(f"'{said(path.name)}': {name} holds something that is no number.")
    return values


def cdl_text(cdl: Cdl, name: str) -> str:
    """A .cc file."""

    def row(values: Triple) -> str:
        return " ".join(f"{v:.6g}" for v in values)

    root = ElementTree.Element("ColorCorrection", {"id": name})
    sop = ElementTree.SubElement(root, "SOPNode")
    for tag, values in (("Slope", cdl.slope), ("Offset", cdl.offset), ("Power", cdl.power)):
        ElementTree.SubElement(sop, tag).text = row(values)
    ElementTree.SubElement(ElementTree.SubElement(root, "SatNode"), "Saturation").text = f"{cdl.saturation:.6g}"
    ElementTree.indent(root)
    return ElementTree.tostring(root, encoding="unicode") + "\n"


def read_cube(path: Path) -> Table:
    """A .cube file of one table. Raises UserError for anything else."""
    text = _text(path)
    head: dict[str, list[str]] = {}
    rows: list[str] = []
    for line in text.splitlines():
        stripped = line.strip()
        if not stripped or stripped.startswith("#"):
            continue
        if re.match(r"[A-Za-z]", stripped) and not stripped.lower().startswith(("nan", "inf")):
            key, *rest = stripped.split(None, 1)
            head[key.upper()] = rest
        else:
            rows.append(stripped)
    sizes = {k: head[k] for k in ("LUT_1D_SIZE", "LUT_3D_SIZE") if k in head}
    if len(sizes) != 1:
        raise UserError(f"'{said(path.name)}' wants one LUT_1D_SIZE or LUT_3D_SIZE.")
    kind, told = next(iter(sizes.items()))
    n = int(told[0]) if told and told[0].isdecimal() and len(told[0]) < 7 else 0
    most = MOST if kind == "LUT_3D_SIZE" else 65536
    if not LEAST <= n <= most:
        raise UserError(
            f"'{said(path.name)}': a table of {told[0] if told else 'no'} entries a side is not read; 2 to {most} are."
        )
    count = n**3 if kind == "LUT_3D_SIZE" else n
    if len(rows) != count:
        raise UserError(f"'{said(path.name)}' has {len(rows)} rows where {count} are told; export it again.")
    try:
        values = np.array([r.split() for r in rows], np.float32)
    except ValueError:
        values = np.zeros((0, 0), np.float32)
    if values.shape != (count, 3) or not np.isfinite(values).all():
        raise UserError(f"'{said(path.name)}' has rows that are not three numbers.")
    low, high = (_ends(head, k, u, path) for k, u in (("DOMAIN_MIN", 0.0), ("DOMAIN_MAX", 1.0)))
    if not all(a < b for a, b in zip(low, high, strict=True)):
        raise UserError(f"'{said(path.name)}': its domain ends before it begins.")
    if kind == "LUT_1D_SIZE":
        return Table(curves=values, low=low, high=high, name=path.name)
    return Table(
        cube=values.reshape(n, n, n, 3).transpose(2, 1, 0, 3).copy(), low=low, high=high, name=path.name
    )  # red runs fastest in the file


def _ends(head: dict[str, list[str]], key: str, usual: float, path: Path) -> Triple:
    values = _numbers(head[key][0].split(), path, key) if head.get(key) else [usual] * 3
    if len(values) != 3:
        raise UserError(f"'{said(path.name)}': {key} wants three numbers.")
    return values[0], values[1], values[2]


def cube_text(cube: np.ndarray, title: str) -> str:
    """A .cube file of (n, n, n, 3), red first, over 0..1."""
    rows = cube.transpose(2, 1, 0, 3).reshape(-1, 3)
    safe = title.replace('"', "'").replace("\n", " ")
    return f'TITLE "{safe}"\nLUT_3D_SIZE {cube.shape[0]}\n' + "".join(f"{r:.6f} {g:.6f} {b:.6f}\n" for r, g, b in rows)
