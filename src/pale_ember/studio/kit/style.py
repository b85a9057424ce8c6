"""The style of dialogs that are Qt's own, files and questions: in our dress, with our icons."""

from __future__ import annotations

from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QProxyStyle, QStyle, QStyleOption, QWidget

from pale_ember.studio.kit import icons, theme

_SP = QStyle.StandardPixmap
_ICONS = {
    _SP.SP_MessageBoxQuestion: "shown", _SP.SP_MessageBoxWarning: "grave", _SP.SP_MessageBoxCritical: "grave",
    _SP.SP_MessageBoxInformation: "list", _SP.SP_DirIcon: "folder", _SP.SP_DirOpenIcon: "folder", _SP.SP_DirClosedIcon: "folder",
    _SP.SP_DirHomeIcon: "folder", _SP.SP_DirLinkIcon: "folder", _SP.SP_FileIcon: "file", _SP.SP_FileLinkIcon: "file",
    _SP.SP_DriveHDIcon: "folder", _SP.SP_ComputerIcon: "folder", _SP.SP_DesktopIcon: "folder", _SP.SP_ArrowBack: "back",
    _SP.SP_ArrowForward: "forward", _SP.SP_FileDialogBack: "back", _SP.SP_FileDialogToParent: "up", _SP.SP_FileDialogNewFolder: "plus",
    _SP.SP_FileDialogListView: "list", _SP.SP_FileDialogDetailedView: "sheet",
}  # fmt: skip
"""Our icon for each of Qt's that is shown anywhere."""


class OwnIcons(QProxyStyle):
    """Fusion with our icons; buttons of dialogs have none. Only what is asked seldom is said here: a hint asked of Python for every line
    that is laid out took a tenth of the time to open the window."""

    def __init__(self) -> None:
        super().__init__("Fusion")

    def standardIcon(self, standard: QStyle.StandardPixmap, option: QStyleOption | None = None, widget: QWidget | None = None) -> QIcon:
        name = _ICONS.get(standard)
        if name is not None:
            return icons.icon(name, theme.WARNING if name == "grave" else theme.BONE)
        return QIcon() if standard.name.startswith("SP_Dialog") else super().standardIcon(standard, option, widget)
