"""Motion: of the camera, of points, of surfaces."""
