"""Plain lists with columns that keep scroll and choice while they are filled anew."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QTreeWidget, QTreeWidgetItem

from opossum_desk.views.plain import plain_tooltip

KEY_ROLE = Qt.ItemDataRole.UserRole


def make_tree(name: str, columns: list[str], widths: list[int]) -> QTreeWidget:
    """Return a list with columns of these widths; the last takes what is left."""
    tree = QTreeWidget()
    tree.setAccessibleName(name)
    tree.setHeaderLabels(columns)
    tree.setRootIsDecorated(False)
    tree.setUniformRowHeights(True)
    tree.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
    tree.header().setStretchLastSection(False)  # it would never be narrower than it began
    tree.header().setSectionResizeMode(len(columns) - 1, QHeaderView.ResizeMode.Stretch)
    for number, width in enumerate(widths):
        tree.setColumnWidth(number, width)
    return tree


def fill_tree(tree: QTreeWidget, rows: Sequence[tuple[tuple[str, ...], object]]) -> None:
    """Show rows, keeping the items, and with them scroll and choice, where the number of rows allows."""
    while tree.topLevelItemCount() > len(rows):
        tree.takeTopLevelItem(tree.topLevelItemCount() - 1)
    for number, (texts, key) in enumerate(rows):
        item = tree.topLevelItem(number)
        if item is None:
            item = QTreeWidgetItem()
            tree.addTopLevelItem(item)
        for column, text in enumerate(texts):
            if item.text(column) != text:
                item.setText(column, text)
                item.setToolTip(column, plain_tooltip(text))
        item.setData(0, KEY_ROLE, key)
