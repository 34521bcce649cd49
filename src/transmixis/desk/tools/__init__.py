"""Tools on the picture: what a press, a drag or a key does there. Step kinds ask for them by name (see shot.contract.Handle)."""

from __future__ import annotations

from transmixis.desk.tools.box import BoxTool
from transmixis.desk.tools.corners import CornersTool
from transmixis.desk.tools.coverage import CoverageTool
from transmixis.desk.tools.dots import DotsTool
from transmixis.desk.tools.line import LineTool
from transmixis.desk.tools.mesh import MeshTool
from transmixis.desk.tools.outline import OutlineTool
from transmixis.desk.tools.point import PointTool
from transmixis.desk.tools.shape import ShapeTool
from transmixis.desk.tools.source import SourceTool
from transmixis.desk.tools.spots import SpotsTool
from transmixis.desk.tools.strokes import StrokesTool
from transmixis.desk.tools.tool import Tool
from transmixis.shot.contract import Handle

TOOLS: dict[str, type[Tool]] = {
    "outline": OutlineTool,
    "outlines": OutlineTool,
    "shape": ShapeTool,
    "corners": CornersTool,
    "point": PointTool,
    "source": SourceTool,
    "spots": SpotsTool,
    "box": BoxTool,
    "line": LineTool,
    "mesh": MeshTool,
    "strokes": StrokesTool,
    "dots": DotsTool,
    "coverage": CoverageTool,
}


def tool_for(handle: Handle) -> Tool:
    """The tool that a handle asks for, holding its value."""
    return TOOLS[handle.tool](handle)
