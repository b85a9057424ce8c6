"""All benchmarks, told as they come."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from benchmarks import drawing, events, exporting, folders, insight, matching, painting, player_kit, stepping, workbench

_GROUPS = {
    "step": (stepping.rows, "step particles 100,000 1,000,000 numpy proportion thread two"),
    "events": (events.rows, "squall contact mesh prop keyed riding layers checked touches offspring moments kept memory edit held"),
    "drawing": (drawing.rows, "drawing sprites quads bare sorting depth demo effects"),
    "insight": (insight.rows, "insight checks rules mends thinning thinned layers demo effects"),
    "matching": (matching.rows, "matching nine variations fit reference values trials demo effects"),
    "exporting": (exporting.rows, "exporting sheet packing textures bc3 bc7 processes hand-over rehearsal packages"),
    "folders": (folders.rows, "folders build built effects cold warm processes tiles thousand"),
    "player kit": (player_kit.rows, "player kit step everyday particles eddies kiln mouth memory load"),
    "painting": (painting.rows, "painting recipe noise texture gas fluid sheet frames"),
    "workbench": (
        workbench.rows,
        "workbench launch held moment edit kiln mouth playing scale sharpness pause window demo effects sprites crowd",
    ),
}


def run_benchmarks(only: str = "") -> list[dict[str, Any]]:
    """Runs every group in which a benchmark's name has the word `only`, prints each row, and returns the rows."""
    results = []
    for name, (rows, words) in _GROUPS.items():
        if only and only.lower() not in f"{name} {words}":
            continue
        for row in rows():
            if only and only.lower() not in f"{name} {row.name}".lower() and only.lower() not in words.split():
                continue
            mark = "holds" if row.holds else "MISSED"
            against = f" against {row.against:.4g}, ratio {row.ratio:.3g}" if row.against is not None else ""
            print(f"{mark:6}  {row.name}: {row.value:.4g} {row.unit}{against} (target {row.target})", flush=True)
            results.append(asdict(row))
    return results
