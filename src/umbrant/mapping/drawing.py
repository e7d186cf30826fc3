"""A decision map as an SVG document."""

from xml.etree import ElementTree

from umbrant.mapping.field import STEPS, MapPicture
from umbrant.model.values import number_text

SIDE, LEFT, TOP, BELOW, LEGEND = 560.0, 70.0, 30.0, 50.0, 380.0
OVERLAP = 0.4
"""By how much a line reaches over the one below it, so that nothing shines
through.
"""
COLOURS = (
    "#8f9de0",
    "#d8a47f",
    "#8fbf9f",
    "#d98a94",
    "#b9a0d6",
    "#c9c27a",
    "#82b7c9",
    "#c2c2c2",
    "#e3b7cf",
    "#9fb08a",
)
"""Of the labels, in their order; from the first again where there are more."""


def svg(picture: MapPicture) -> str:
    """The map as the text of an SVG file: the field, its axes, the take's path
    and the legend.
    """
    wide, high = LEFT + SIDE + LEGEND, TOP + SIDE + BELOW
    root = ElementTree.Element(
        "svg",
        {
            "xmlns": "http://www.w3.org/2000/svg",
            "viewBox": f"0 0 {wide:g} {high:g}",
            "font-family": "sans-serif",
            "font-size": "12",
        },
    )
    ElementTree.SubElement(
        root,
        "rect",
        {"width": f"{wide:g}", "height": f"{high:g}", "fill": "#fbf9f3"},
    )
    _field(root, picture)
    _path(root, picture)
    _axes(root, picture)
    _legend(root, picture)
    return ElementTree.tostring(root, encoding="unicode") + "\n"


def at(picture: MapPicture, x: float, y: float) -> tuple[float, float]:
    """Where a pair of values is drawn."""
    across, up = (
        (value - low) / (high - low)
        for value, low, high in zip(
            (x, y), picture.low, picture.high, strict=True
        )
    )
    return LEFT + SIDE * across, TOP + SIDE * (1 - up)


def runs_inside(picture: MapPicture) -> list[list[tuple[float, float]]]:
    """The stretches of the take's path that lie within the field."""
    runs: list[list[tuple[float, float]]] = [[]]
    for point in picture.path:
        inside = all(
            low <= value <= high
            for value, low, high in zip(
                point, picture.low, picture.high, strict=True
            )
        )
        if inside:
            runs[-1].append(point)
        elif runs[-1]:
            runs.append([])
    return [run for run in runs if len(run) > 1]


def _field(root: ElementTree.Element, picture: MapPicture) -> None:
    """Runs of the same label in a line are one rectangle."""
    # A place stands in the middle of its cell; of those at the edges half is
    # seen.
    edges = [
        min(1.0, max(0.0, (at - 0.5) / STEPS)) * SIDE
        for at in range(STEPS + 2)
    ]
    group = ElementTree.SubElement(
        root, "g", {"shape-rendering": "crispEdges"}
    )
    for j, line in enumerate(picture.grid):
        begin = 0
        for i in range(1, len(line) + 1):
            if i < len(line) and line[i] == line[begin]:
                continue
            ElementTree.SubElement(
                group,
                "rect",
                {
                    "x": f"{LEFT + edges[begin]:.2f}",
                    "y": f"{TOP + SIDE - edges[j + 1]:.2f}",
                    "width": f"{edges[i] - edges[begin]:.2f}",
                    "height": f"{edges[j + 1] - edges[j] + OVERLAP:.2f}",
                    "fill": COLOURS[line[begin] % len(COLOURS)],
                },
            )
            begin = i


def _path(root: ElementTree.Element, picture: MapPicture) -> None:
    for run in runs_inside(picture):
        points = " ".join(
            f"{x:.1f},{y:.1f}" for x, y in (at(picture, *each) for each in run)
        )
        line = {
            "points": points,
            "fill": "none",
            "stroke": "#1f2430",
            "stroke-opacity": "0.5",
        }
        ElementTree.SubElement(root, "polyline", line)
    x, y = picture.here
    if x is not None and y is not None:
        across, up = at(picture, x, y)
        ElementTree.SubElement(
            root,
            "circle",
            {
                "cx": f"{across:.1f}",
                "cy": f"{up:.1f}",
                "r": "5",
                "fill": "#1f2430",
            },
        )


def _frame(root: ElementTree.Element, more: dict[str, str]) -> None:
    place = {"x": LEFT, "y": TOP, "width": SIDE, "height": SIDE}
    numbers = {key: f"{value:g}" for key, value in place.items()}
    ElementTree.SubElement(root, "rect", {**numbers, **more})


def _axes(root: ElementTree.Element, picture: MapPicture) -> None:
    _frame(root, {"fill": "none", "stroke": "#1f2430"})
    foot, middle = TOP + SIDE, TOP + SIDE / 2
    _text(root, LEFT, foot + 16, number_text(picture.low[0]))
    _text(root, LEFT + SIDE, foot + 16, number_text(picture.high[0]), "end")
    _text(root, LEFT + SIDE / 2, foot + 34, picture.x, "middle")
    _text(root, LEFT - 6, foot, number_text(picture.low[1]), "end")
    _text(root, LEFT - 6, TOP + 10, number_text(picture.high[1]), "end")
    turned = _text(root, 16, middle, picture.y, "middle")
    turned.set("transform", f"rotate(-90 16 {middle:g})")


def _legend(root: ElementTree.Element, picture: MapPicture) -> None:
    left, y = LEFT + SIDE + 16, TOP + 10
    for title, share in picture.shares():
        colour = COLOURS[picture.labels.index(title) % len(COLOURS)]
        swatch = {
            "x": f"{left:g}",
            "y": f"{y - 10:g}",
            "width": "12",
            "height": "12",
        }
        ElementTree.SubElement(root, "rect", {**swatch, "fill": colour})
        _text(root, left + 18, y, f"{title} · {share * 100:.0f} %")
        y += 20
    for border in picture.borders:
        y += 18
        _text(
            root,
            left,
            y,
            f"{picture.labels[border.one]} | {picture.labels[border.other]}",
        )
        _text(root, left + 8, y + 15, f"by {border.says}")
        y += 18


def _text(
    root: ElementTree.Element,
    x: float,
    y: float,
    text: str,
    anchor: str = "start",
) -> ElementTree.Element:
    made = ElementTree.SubElement(
        root,
        "text",
        {
            "x": f"{x:g}",
            "y": f"{y:g}",
            "text-anchor": anchor,
            "fill": "#1f2430",
        },
    )
    made.text = text
    return made
