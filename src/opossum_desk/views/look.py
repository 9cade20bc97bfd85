"""The look: warm paper by day, warm dark by night, one rose accent for what is wrong."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QPalette

from opossum_desk.layout.colours import DAY, NIGHT


class Look(QObject):
    """The look in force; views repaint when `changed` comes."""

    changed = Signal()

    def __init__(self, choice: str = "system") -> None:
        super().__init__()
        self.choice = choice
        self.colours = DAY
        hints = QGuiApplication.styleHints()
        hints.colorSchemeChanged.connect(self._resolve)
        self._resolve()

    def choose(self, choice: str) -> None:
        """Choose ``day``, ``night`` or ``system``."""
        self.choice = choice
        self._resolve()

    def _resolve(self) -> None:
        dark = self.choice == "night" or (
            self.choice == "system" and QGuiApplication.styleHints().colorScheme() == Qt.ColorScheme.Dark
        )
        self.colours = NIGHT if dark else DAY
        self.changed.emit()

    @property
    def is_night(self) -> bool:
        """Say whether the night look is on."""
        return self.colours is NIGHT

    def via(self, name: str) -> QColor:
        """Return the colour of a way an event came about; unknown ways share one, ``wrong`` is that of what is wrong."""
        if name == "wrong":
            return QColor(self.colours.rose)
        return QColor(self.colours.via.get(name or "direct", self.colours.quiet))

    def palette(self) -> QPalette:
        """Return the palette for ordinary widgets."""
        c, palette = self.colours, QPalette()
        roles = QPalette.ColorRole
        for role, colour in (
            (roles.Window, c.panel),
            (roles.WindowText, c.ink),
            (roles.Base, c.paper),
            (roles.AlternateBase, c.band),
            (roles.Text, c.ink),
            (roles.Button, c.panel),
            (roles.ButtonText, c.ink),
            (roles.BrightText, c.rose),
            (roles.Highlight, c.choice),
            (roles.HighlightedText, c.ink),
            (roles.Link, c.focus if self.is_night else "#0B5A97"),
            (roles.LinkVisited, c.focus if self.is_night else "#0B5A97"),
            (roles.ToolTipBase, c.panel),
            (roles.ToolTipText, c.ink),
            (roles.PlaceholderText, c.quiet),
            (roles.Mid, c.line),
            (roles.Dark, c.line),
            (roles.Light, c.paper),
            (roles.Midlight, c.band),
            (roles.Shadow, c.line),
            (roles.Accent, c.focus),
        ):
            palette.setColor(role, QColor(colour))
        for role in (roles.WindowText, roles.Text, roles.ButtonText):
            palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(c.quiet))
        return palette

    def sheet(self) -> str:
        """Return the style sheet for ordinary widgets: flat, calm, with a visible focus."""
        c = self.colours
        return f"""
        QWidget {{ color: {c.ink}; }}
        QMainWindow, QDialog {{ background: {c.panel}; }}
        QToolTip {{ background: {c.panel}; color: {c.ink}; border: 1px solid {c.line}; padding: 4px; }}
        QMenuBar {{ background: {c.panel}; }}
        QMenuBar::item {{ padding: 4px 9px; background: transparent; }}
        QMenuBar::item:selected, QMenu::item:selected {{ background: {c.choice}; }}
        QMenu {{ background: {c.paper}; border: 1px solid {c.line}; padding: 4px; }}
        QMenu::item {{ padding: 5px 22px 5px 14px; }}
        QMenu::item:disabled {{ color: {c.quiet}; }}
        QMenu::separator {{ height: 1px; background: {c.line}; margin: 4px 8px; }}
        QSplitter::handle {{ background: {c.line}; }}
        QSplitter::handle:hover {{ background: {c.focus}; }}
        QPushButton {{ background: {c.paper}; border: 1px solid {c.line}; padding: 6px 14px; border-radius: 3px; text-align: left; }}
        QPushButton:hover {{ background: {c.choice}; }}
        QPushButton:focus, QLineEdit:focus {{ border: 2px solid {c.focus}; }}
        QPushButton:checked {{ background: {c.choice}; }}
        QPushButton:disabled {{ color: {c.quiet}; }}
        QLineEdit {{ background: {c.paper}; border: 1px solid {c.line}; padding: 4px 8px; border-radius: 3px;
                     placeholder-text-color: {c.quiet}; selection-background-color: {c.choice}; selection-color: {c.ink}; }}
        QLineEdit[wrong="true"] {{ border: 2px solid {c.rose}; }}
        QTreeView, QListView, QTextBrowser {{ background: {c.paper}; border: none; outline: none; }}
        QTreeWidget::item {{ padding: 2px 4px; }}
        QHeaderView {{ background: {c.paper}; }}
        QHeaderView::section {{ background: {c.paper}; color: {c.quiet}; border: none; border-bottom: 1px solid {c.line}; padding: 4px 7px; }}
        QTreeView:focus, QListView:focus, QTextBrowser:focus {{ border: 2px solid {c.focus}; }}
        QScrollBar:vertical {{ background: transparent; width: 24px; margin: 0; }}
        QScrollBar:horizontal {{ background: transparent; height: 24px; margin: 0; }}
        QScrollBar::handle {{ background: {c.line}; border-radius: 4px; min-height: 28px; min-width: 28px; }}
        QScrollBar::handle:vertical {{ margin: 2px 8px; }}
        QScrollBar::handle:horizontal {{ margin: 8px 2px; }}
        QScrollBar[role="over"]::handle:vertical {{ margin: 2px 2px 2px 14px; }}
        QScrollBar::handle:hover {{ background: {c.quiet}; }}
        QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border: none; height: 0; width: 0; }}
        QProgressBar {{ background: {c.paper}; border: 1px solid {c.line}; border-radius: 3px; height: 8px; text-align: center; }}
        QProgressBar::chunk {{ background: {c.focus}; }}
        QStatusBar {{ background: {c.panel}; color: {c.quiet}; }}
        QStatusBar::item {{ border: none; }}
        QLabel[role="quiet"] {{ color: {c.quiet}; }}
        QLabel[role="heading"] {{ color: {c.quiet}; padding: 7px 10px 3px 10px; }}
        QLabel[role="wrong"] {{ color: {c.rose}; }}
        QFrame[role="banner"] {{ background: {c.rose_wash}; }}
        QFrame[role="now"] {{ background: {c.band}; border-bottom: 1px solid {c.line}; }}
        QFrame[role="now"] QPushButton {{ padding: 4px 10px; }}
        QPushButton[role="tag"] {{ border-radius: 9px; padding: 3px 9px; color: {c.quiet}; }}
        QFrame[role="rail"] {{ background: {c.panel}; border-right: 1px solid {c.line}; }}
        QFrame[role="rail"] QPushButton {{ background: transparent; border: none; border-left: 3px solid transparent; padding: 9px 8px; border-radius: 0; }}
        QFrame[role="rail"] QPushButton:checked {{ border-left: 3px solid {c.focus}; background: {c.choice}; }}
        QFrame[role="rail"] QPushButton:focus {{ border: 2px solid {c.focus}; }}
        """
