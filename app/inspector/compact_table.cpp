// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/compact_table.h"

#include <QHeaderView>
#include <algorithm>

namespace va {

constexpr int rowHeight = 20;

QTableWidget* compactTable(const QString& objectName, const QString& accessibleName, const QStringList& heads) {
    auto* table = new QTableWidget(0, int(heads.size()));
    table->setObjectName(objectName);
    table->setAccessibleName(accessibleName);
    table->setHorizontalHeaderLabels(heads);
    table->verticalHeader()->hide();
    table->verticalHeader()->setDefaultSectionSize(rowHeight);
    // Words take the room that the numbers leave.
    table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table->setSelectionBehavior(QAbstractItemView::SelectRows);
    table->setSelectionMode(QAbstractItemView::SingleSelection);
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table->setShowGrid(false);
    table->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    table->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    return table;
}

void fitRows(QTableWidget* table, int most) {
    table->setVisible(table->rowCount() > 0);
    table->setFixedHeight(table->horizontalHeader()->sizeHint().height() +
                          rowHeight * std::clamp(table->rowCount(), 1, most) + 4);
}

QTableWidgetItem* setCell(QTableWidget* table, int row, int column, const QString& words, bool number) {
    auto* item = table->item(row, column);
    if (!item) {
        item = new QTableWidgetItem;
        table->setItem(row, column, item);
    }
    item->setText(words);
    item->setTextAlignment((number ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    return item;
}

}  // namespace va
