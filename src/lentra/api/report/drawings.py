"""Drawings of a report as SVG text, without any script. Every one has its figures in a table beside it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Any
from xml.etree.ElementTree import Element, SubElement, tostring

from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

_WIDTH, _HEIGHT = 720, 220
_LEFT, _TOP, _BOTTOM = 48, 18, 24
_ROW = 20
_MOST_BARS = 15
_INK, _SOFT, _MAIN = "#16262c", "#6b7a7e", "#12566b"
_MARKS = {  # ground, ink and mark of each state: told apart without colour
    "free": ("#f1f7d3", "#93ab3c", "M4 3a1.4 1.4 0 1 0 .1 0"),
    "handed out": ("#2a7a8c", "#2a7a8c", "M0 0"),
    "held": ("#f6e3bf", "#8f5a00", "M3 3h2v2h-2z"),
    "room": ("#d9ebe8", "#2a7a8c", "M3 3h2v2h-2z"),
    "reserved": ("#e3dcf0", "#5d4a8a", "M0 2H8M0 6H8"),
    "cooling": ("#dfe8ef", "#4d7396", "M-2 10 10 -2"),
    "kept out": ("#ecdad3", "#a8321f", "M0 0 8 8M8 0 0 8"),
    "carved": ("#dcead7", "#3f6d3a", "M4 0V8"),
    "mixed": ("#c9d8d8", "#2a7a8c", "M-2 -2 10 10"),
    "outside": ("#eceae4", "#eceae4", "M0 0"),
}


def counted(number: str | int, family: int) -> str:
    """Addresses for IPv4, /64 for IPv6."""
    return f"{int(number):,}" if family == 4 else f"{int(number) >> 64:,} × /64"


def over_time(row: Mapping[str, Any], name: str) -> SafeString:
    """Use over time with the forecast as a fan; of a pool or realm with its thresholds, else up to the highest use."""
    past = [(_day(reading["day"]), int(reading["used"])) for reading in row["readings"]]
    if len(past) < 2:
        return format_html("<p>Too few readings for a picture.</p>")
    fan = [(_day(p["day"]), int(p["low"]), int(p["likely"]), int(p["high"])) for p in row["fan"]]
    most = max([used for _, used in past] + [high for *_, high in fan])
    whole = max(int(row["total"]) if "total" in row else most, 1)
    first, last = past[0][0], max(past[-1][0], fan[-1][0] if fan else 0)

    def x(day: int) -> float:
        return _LEFT + (day - first) / max(last - first, 1) * (_WIDTH - _LEFT - 8)

    def y(used: float) -> float:
        return _TOP + (1 - min(max(used / whole, 0), 1.02)) * (_HEIGHT - _TOP - _BOTTOM)

    svg = _svg(f"{name} IPv{row['family']}: use over time", _HEIGHT, 11)
    for day in _quarters(date.fromordinal(first), date.fromordinal(last)):
        at = x(day.toordinal())
        _draw(svg, "line", x1=at, x2=at, y1=_TOP, y2=_HEIGHT - _BOTTOM, stroke="#ddd")
        if at < _WIDTH - 62:
            _text(svg, at + 3, _HEIGHT - 8, day.strftime("%b %Y"))
    if not row.get("thresholds"):
        for used in (0, whole // 2, whole):
            _draw(svg, "line", x1=_LEFT, x2=_WIDTH - 8, y1=y(used), y2=y(used), stroke="#ddd")
            _text(svg, 0, y(used) - 4, counted(used, row["family"]))
    for threshold in row.get("thresholds", ()):
        at = y(whole * threshold["percent"] / 100)
        _draw(svg, "line", x1=_LEFT, x2=_WIDTH - 8, y1=at, y2=at, stroke=_SOFT, stroke_dasharray="5 4")
        _text(svg, _LEFT + 4, at - 4, f"{threshold['name']} {threshold['percent']} %")
    highs = [(x(day), y(high)) for day, _, _, high in fan]
    lows = [(x(day), y(low)) for day, low, _, _ in reversed(fan)]
    _draw(svg, "path", d=_path(highs + lows), fill=_MAIN, fill_opacity="0.2")
    likely = _path([(x(day), y(middle)) for day, _, middle, _ in fan])
    _draw(svg, "path", d=likely, fill="none", stroke=_MAIN, stroke_dasharray="5 4")
    _draw(svg, "path", d=_path([(x(d), y(used)) for d, used in past]), fill="none", stroke=_MAIN, stroke_width=2)
    return _markup(svg)


def bars(rows: Sequence[Mapping[str, Any]], by: str) -> SafeString:
    """The largest users as bars, ranked."""
    shown = rows[:_MOST_BARS]
    most = max((row["percent"] for row in shown), default=0) or 1
    svg = _svg(f"Usage by {by}", _ROW * max(len(shown), 1) + 4, 12)
    for n, row in enumerate(shown):
        width = row["percent"] / most * 430
        _text(svg, 0, _ROW * n + 14, (row[by] or {}).get("name", "—"))
        _draw(svg, "rect", x=170, y=_ROW * n + 4, width=width, height=12, fill=_MAIN)
        _text(svg, 176 + width, _ROW * n + 14, f"{row['percent']:.2f} %")
    return _markup(svg)


def map_drawing(shown: Mapping[str, Any]) -> SafeString:
    """A map of space: a row for each prefix length from the range down to its slots."""
    top = _length(shown["range"])
    height = (shown["slot"] - top + 2) * _ROW
    svg = _svg(f"Map of {shown['range']}", height, 9)
    _add_patterns(svg)
    for branch in shown["branches"]:
        x, width, y = branch["start"] * _WIDTH, branch["share"] * _WIDTH, (branch["length"] - top) * _ROW
        _draw(svg, "rect", x=x, y=y, width=width, height=_ROW - 1, fill="#fff", stroke="#999", stroke_width=0.5)
        used = width * branch["used_percent"] / 100
        _draw(svg, "rect", x=x, y=y + _ROW - 5, width=used, height=4, fill=_MAIN)
        _text(svg, x + 3, y + 12, _fitting(f"{branch['range']} {branch['used_percent']} %", width))
    for cell in shown["cells"]:
        x, width, y = cell["start"] * _WIDTH, cell["share"] * _WIDTH, (_length(cell["range"]) - top) * _ROW
        whole = height - y
        partly = cell["state"] in ("mixed", "carved")
        used = whole * (1 - int(cell["free"]) / int(cell["addresses"])) if partly else whole
        edge = {"stroke": "#777", "stroke_width": 0.4}
        if partly:
            _draw(svg, "rect", x=x, y=y, width=width, height=whole, fill="url(#free)", **edge)
        _draw(svg, "rect", x=x, y=y + whole - used, width=width, height=used, fill=_pattern(cell["state"]), **edge)
        owner = (cell["subnet"] or cell["child"] or cell["reservation"] or {}).get("name") or cell["state"]
        _text(svg, x + 3, y + 12, _fitting(owner, width))
    return _markup(svg)


def legend(states: Iterable[str]) -> SafeString:
    """What the patterns of a map mean."""
    wanted = set(states)
    keys = []
    for state in (state for state in _MARKS if state in wanted):
        key = Element("span", {"class": "key"})
        svg = SubElement(key, "svg", {"width": "22", "height": "12", "aria-hidden": "true"})
        _draw(svg, "rect", width=22, height=12, fill=_pattern(state), stroke="#777")
        svg.tail = f" {state}"
        keys.append(_markup(key))
    return mark_safe(" ".join(keys))


def grid_drawing(grid: Mapping[str, Any]) -> SafeString:
    """Zones × tiers as a picture: how much of each cell is used, gaps marked."""
    wide = (_WIDTH - 90) / max(len(grid["zones"]), 1)
    svg = _svg(f"{grid['project']['name']}: zones and tiers", 26 + 44 * max(len(grid["tiers"]), 1), 9.5)
    for column, zone in enumerate(grid["zones"]):
        _text(svg, 94 + column * wide, 14, zone)
    for row, tier in enumerate(grid["tiers"]):
        _text(svg, 0, 46 + 44 * row, tier)
    for cell in grid["cells"]:
        x, y = 90 + grid["zones"].index(cell["zone"]) * wide, 22 + 44 * grid["tiers"].index(cell["tier"])
        _grid_cell(svg, cell, x, y, wide - 6)
    return _markup(svg)


def _grid_cell(svg: Element, cell: Mapping[str, Any], x: float, y: float, width: float) -> None:
    edge = {"stroke": "#777", "stroke_width": 0.6} | ({"stroke_dasharray": "4 3"} if cell["gap"] else {})
    _draw(svg, "rect", x=x, y=y, width=width, height=38, fill="none" if cell["gap"] else "#eef4f3", **edge)
    if cell["gap"]:
        _text(svg, x + 4, y + 22, "missing")
        return
    usable, hosts = int(cell["usable"]), int(cell["hosts"])
    blocks = [block for subnet in cell["subnets"] for block in subnet["blocks"]]
    if usable:
        _draw(svg, "rect", x=x, y=y, width=min(hosts / usable, 1) * width, height=6, fill=_MAIN)
    further = len(blocks) - 1 + cell["count"] - len(cell["subnets"])
    more = f" (+{further:,})" if further > 0 else ""
    _text(svg, x + 4, y + 20, _fitting(blocks[0] if blocks else "", width))
    _text(svg, x + 4, y + 32, _fitting((f"{hosts:,} of {usable:,}" if usable else "") + more, width))


# --- SVG ---


def _svg(label: str, height: float, size: float) -> Element:
    svg = Element("svg", {"role": "img", "aria-label": label, "viewBox": f"0 0 {_WIDTH} {height}", "fill": _INK})
    svg.set("font-size", str(size))
    return svg


def _draw(parent: Element, kind: str, **attributes: object) -> Element:
    """One element; underscores in names stand for dashes, numbers are rounded to what can be seen."""
    told = {
        name.replace("_", "-"): f"{value:.2f}".rstrip("0").rstrip(".") if isinstance(value, float) else str(value)
        for name, value in attributes.items()
    }
    return SubElement(parent, kind, told)


def _text(parent: Element, x: float, y: float, text: str) -> None:
    if text:
        _draw(parent, "text", x=float(x), y=float(y)).text = text


def _add_patterns(svg: Element) -> None:
    definitions = SubElement(svg, "defs")
    for state, (ground, ink, mark) in _MARKS.items():
        name = state.replace(" ", "-")
        pattern = SubElement(definitions, "pattern", {"id": name, "width": "8", "height": "8"})
        pattern.set("patternUnits", "userSpaceOnUse")
        _draw(pattern, "rect", width=8, height=8, fill=ground)
        _draw(pattern, "path", d=mark, stroke=ink, fill="none")


def _pattern(state: str) -> str:
    return f"url(#{state.replace(' ', '-')})"


def _markup(element: Element) -> SafeString:
    return mark_safe(tostring(element, encoding="unicode"))


def _path(points: Sequence[tuple[float, float]]) -> str:
    return "".join(f"{'L' if n else 'M'}{x:.1f} {y:.1f}" for n, (x, y) in enumerate(points))


def _fitting(text: str, width: float) -> str:
    room = int(width / 5)
    if len(text) <= room:
        return text
    return f"{text[: room - 1]}…" if room > 4 else ""


def _length(prefix: str) -> int:
    return int(prefix.partition("/")[2])


def _day(text: str) -> int:
    return date.fromisoformat(text).toordinal()


def _quarters(first: date, last: date) -> Iterable[date]:
    for year in range(first.year, last.year + 1):
        for month in (1, 4, 7, 10):
            if first < (day := date(year, month, 1)) <= last:
                yield day
