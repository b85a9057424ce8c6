"""What a studio's targets allow: a file beside its documents, `targets.json`, that is edited and shared."""

from __future__ import annotations

import json
from pathlib import Path

from pale_ember.core.insight.effect_cost import ROWS, TARGETS, Budget
from pale_ember.formats.files import read_regular
from pale_ember.formats.game_folder import root_of

NAME = "targets.json"
_FIELDS = {"particles": int, "textures_mb": float, "layers": int, "painted": float, "rows": int}
"""What each target says, by the names in the file."""
_USUAL = {"rows": ROWS}
"""What a file need not say."""


def targets_of(folder: Path | None) -> tuple[dict[str, Budget], str]:
    """The targets beside a document or in the folder of its game, or ours where there are none; and what is wrong with the file, in a
    sentence, or ""."""
    path = None if folder is None else folder / NAME
    if folder is not None and path is not None and not path.is_file():
        path = root_of(folder) / NAME
    if path is None or not path.is_file():
        return TARGETS, ""
    try:
        raw = json.loads(read_regular(path, 2**20))
        told = {str(name): _budget(str(name), body) for name, body in raw.items()}
    except (OSError, ValueError, AttributeError, RecursionError) as error:
        why = (
            str(error) if type(error) is ValueError else "expected JSON with a name and its figures for each target, found something else"
        )
        return TARGETS, f"{NAME}: {why}; the built-in ones are used until it is fixed"
    return (told, "") if told else (TARGETS, f"{NAME}: expected a target, found none; ours are used")


def _budget(name: str, body: object) -> Budget:
    """A target's figures. Raises ValueError, in a sentence."""
    if not isinstance(body, dict):
        raise ValueError(f'"{name}": expected {", ".join(_FIELDS)}, found something else')
    figures = {}
    for field, kind in _FIELDS.items():
        value = body.get(field, _USUAL.get(field))
        if not isinstance(value, (int, float)) or isinstance(value, bool) or not 0 < value < 1e12:
            raise ValueError(f'"{name}": {field}: expected a number above 0, found {json.dumps(value)}')
        figures[field] = kind(value)
    return Budget(
        int(figures["particles"]),
        int(figures["textures_mb"] * 2**20),
        int(figures["layers"]),
        float(figures["painted"]),
        int(figures["rows"]),
    )


def targets_bytes(targets: dict[str, Budget]) -> bytes:
    """The file of some targets."""
    told = {
        name: {
            "particles": each.particles,
            "textures_mb": each.textures / 2**20,
            "layers": each.layers,
            "painted": each.painted,
            "rows": each.rows,
        }
        for name, each in targets.items()
    }
    return (json.dumps(told, indent=2) + "\n").encode()
