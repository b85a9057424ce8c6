"""Builds the module that pages carry from the player kit: `python tools/page_module.py [OUT]`. Needs the package `ziglang`, a whole
compiler as a wheel; nobody else does."""

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SHIPS = ROOT / "src" / "pale_ember" / "assets" / "page" / "player.wasm"
NAMES = (
    "room",
    "fault",
    "load",
    "begin",
    "steps",
    "strength",
    "time",
    "alive",
    "finished",
    "draw",
    "rows",
    "axes",
    "ways",
    "surface",
    "shade",
    "clear",
    "fog",
)


def build(out: Path) -> None:
    """Compiles `player/web/page.c`. Raises CalledProcessError."""
    flags = ["-target", "wasm32-wasi", "-mexec-model=reactor", "-O2", "-fno-math-errno", "-std=c99", "-w", "-Wl,--strip-all"]
    exports = [f"-Wl,--export=page_{name}" for name in NAMES]
    source = ROOT / "player" / "web" / "page.c"
    subprocess.run([sys.executable, "-m", "ziglang", "cc", *flags, *exports, str(source), "-o", str(out)], check=True)


if __name__ == "__main__":
    build(Path(sys.argv[1]) if len(sys.argv) > 1 else SHIPS)
