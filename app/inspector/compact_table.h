// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QTableWidget>

namespace va {

/// A small table for a page of the inspector: whole rows are chosen, one at a time; the first column takes the
/// width that the others leave.
QTableWidget* compactTable(const QString& objectName, const QString& accessibleName, const QStringList& heads);

/// As high as its rows, up to `most` of them; hidden where it has none.
void fitRows(QTableWidget* table, int most);

/// Puts words into a cell, to the right where they are numbers.
QTableWidgetItem* setCell(QTableWidget* table, int row, int column, const QString& words, bool number = false);

}  // namespace va
