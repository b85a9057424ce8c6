"""Its place on the desktop: menu entry, description, file type, icons, manual page and completion, as files below the
data folder, each made from what is said once elsewhere."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Iterable
from pathlib import Path
from xml.sax.saxutils import escape

from pale_ember import ASSETS, RELEASED, __version__

ID = "org.pale_ember.PaleEmber"
"""By the rules for such names it belongs to a domain; one with an underscore is nobody's."""

TYPE = "application/x-pale-ember"
SUMMARY = "Build and tune layered particle effects for games"
KEYWORDS = ("particles", "effects", "vfx", "fire", "smoke", "emitter", "games")
SIZES = (16, 22, 24, 32, 48, 64, 128, 256, 512)
"""Pixels of the icons, as the icon theme names its folders."""

ICONS = {"apps/pale-ember": "pale-ember.svg", "mimetypes/application-x-pale-ember": "pale-ember-effect.svg"}
"""Our drawings by their place in the theme."""


def _quoted(path: str) -> str:
    """An argument of an `Exec` line, by the Desktop Entry Specification."""
    for sign in '\\"`$':
        path = path.replace(sign, "\\" + sign)
    return '"' + path.replace("\\", "\\\\").replace("%", "%%") + '"'


def entry(command: str) -> str:
    """The desktop entry, which starts `command`, a path."""
    return f"""[Desktop Entry]
Type=Application
Name=Pale Ember
GenericName=Particle effect editor
Comment={SUMMARY}
Exec={_quoted(command)} open %f
Icon=pale-ember
Terminal=false
Categories=Graphics;3DGraphics;
Keywords={";".join(KEYWORDS)};
MimeType={TYPE};
StartupWMClass=pale-ember
"""


def description() -> str:
    """AppStream metadata."""
    keywords = "".join(f"\n    <keyword>{word}</keyword>" for word in KEYWORDS)
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>{ID}</id>
  <name>Pale Ember</name>
  <summary>{escape(SUMMARY)}</summary>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>GPL-3.0-or-later</project_license>
  <developer id="org.pale_ember"><name>The developers of Pale Ember</name></developer>
  <description>
    <p>Real-time effects artists build and tune layered particle emitters here: fire, smoke, weather, impacts, energy,
      ribbons and beams. A layer is told as a short story, from the outlet to the look.</p>
    <p>Everything is live: hold a moment, change what it is made of, and that very moment is simulated again.</p>
  </description>
  <launchable type="desktop-id">{ID}.desktop</launchable>
  <icon type="stock">pale-ember</icon>
  <categories><category>Graphics</category><category>3DGraphics</category></categories>
  <keywords>{keywords}
  </keywords>
  <provides><binary>pale</binary><mediatype>{TYPE}</mediatype></provides>
  <content_rating type="oars-1.1"/>
  <releases><release version="{__version__}" date="{RELEASED}"/></releases>
</component>
"""


def file_type() -> str:
    """The type of `.pale` documents, for the shared MIME database."""
    return f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{TYPE}">
    <comment>Pale Ember effect</comment>
    <sub-class-of type="application/json"/>
    <glob pattern="*.pale"/>
  </mime-type>
</mime-info>
"""


def icon_files() -> dict[str, bytes]:
    """Our drawings as they are, and as PNG in every size of the theme."""
    from PyQt6.QtCore import QBuffer, QByteArray, QIODevice
    from PyQt6.QtGui import QImage, QPainter
    from PyQt6.QtSvg import QSvgRenderer

    files = {}
    for place, drawing in ICONS.items():
        drawn = (ASSETS / "icons" / drawing).read_bytes()
        files[f"icons/hicolor/scalable/{place}.svg"] = drawn
        renderer = QSvgRenderer(QByteArray(drawn))
        for size in SIZES:
            image = QImage(size, size, QImage.Format.Format_ARGB32_Premultiplied)
            image.fill(0)
            painter = QPainter(image)
            renderer.render(painter)
            painter.end()
            store = QBuffer()
            store.open(QIODevice.OpenModeFlag.WriteOnly)
            image.save(store, "PNG")
            files[f"icons/hicolor/{size}x{size}/{place}.png"] = store.data().data()
    return files


def files(command: str, more: dict[str, bytes]) -> dict[str, bytes]:
    """All of it, by the path below the data folder; `more` : manual page and completion."""
    return {
        f"applications/{ID}.desktop": entry(command).encode(),
        f"metainfo/{ID}.metainfo.xml": description().encode(),
        "mime/packages/pale-ember.xml": file_type().encode(),
        **icon_files(),
        **more,
    }


def refresh(home: Path) -> None:
    """Lets the desktop's own tools read what changed; where one is missing, the desktop does it at its next start."""
    for tool, *arguments in (
        ("update-desktop-database", "applications"),
        ("update-mime-database", "mime"),
        ("gtk-update-icon-cache", "-q", "-t", "-f", "icons/hicolor"),
    ):
        if shutil.which(tool) and (home / arguments[-1]).is_dir():
            folder = str(home / arguments[-1])
            subprocess.run([tool, *arguments[:-1], folder], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, check=False)


def remove(home: Path, names: Iterable[str]) -> list[str]:
    """Takes away those of these files that are there; returns which. Raises OSError."""
    gone = []
    for name in names:
        path = home / name
        if path.is_file():
            path.unlink()
            gone.append(name)
    return gone
