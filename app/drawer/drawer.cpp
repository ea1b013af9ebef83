// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/drawer.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QItemSelectionModel>
#include <QScrollArea>
#include <QTime>
#include <QVBoxLayout>

namespace va {

Drawer::Drawer(Document& document, FeatureEdits& edits, LayoutEdits& layout, SlipWatch& slip, QWidget* parent)
    : QStackedWidget(parent),
      document_(document),
      model_(new FeatureModel(document, this)),
      table_(new QTableView),
      curves_(new Curves(document, edits, layout)),
      things_(new ThingsList(document, layout)),
      stick_(new StickPanel(document, slip)),
      log_(new QPlainTextEdit),
      counts_(new QLabel) {
    setObjectName("drawer");
    log_->setObjectName("log");
    log_->setReadOnly(true);
    log_->setMaximumBlockCount(2000);
    addWidget(makeTable());
    addWidget(curves_);
    // In a low drawer it scrolls: it must not push the window beyond a small screen.
    auto* scroll = new QScrollArea;
    scroll->setFrameShape(QFrame::NoFrame);
    scroll->setWidgetResizable(true);
    scroll->setWidget(new PrunePanel(document, edits));
    addWidget(scroll);
    addWidget(log_);
    addWidget(things_);
    addWidget(stick_);
    connect(table_->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
        if (syncing_) return;
        QSet<int> ids;
        for (const QModelIndex& i : table_->selectionModel()->selectedRows()) ids.insert(model_->pathAt(i.row()));
        syncing_ = true;
        document_.selectPaths(ids);
        syncing_ = false;
    });
    connect(model_, &QAbstractItemModel::modelReset, this, &Drawer::showSelection);
    connect(&document_, &Document::selectionChanged, this, &Drawer::showSelection);
    connect(&document_, &Document::shotChanged, this, &Drawer::count);
    count();
}

QWidget* Drawer::makeTable() {
    table_->setObjectName("featureTable");
    table_->setAccessibleName(tr("Table of features"));
    table_->setModel(model_);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->setShowGrid(false);
    table_->setSortingEnabled(true);
    table_->sortByColumn(FeatureModel::mean, Qt::DescendingOrder);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(22);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->horizontalHeader()->setHighlightSections(false);
    const int widths[] = {34, 84, 104, 62, 72, 104, 68, 62, 66, 62};
    for (int i = 0; i < int(std::size(widths)); ++i) table_->setColumnWidth(i, widths[i]);
    auto* filter = new QLineEdit;
    filter->setObjectName("featureFilter");
    filter->setAccessibleName(tr("Show only"));
    filter->setPlaceholderText(
        tr("Show only: a name, a word of the note, or length<20, residual>1, drift>0.3, quality<0.95, by:hand, aside"));
    filter->setClearButtonEnabled(true);
    connect(filter, &QLineEdit::textChanged, model_, &FeatureModel::setFilter);
    counts_->setObjectName("quiet");
    auto* head = new QHBoxLayout;
    head->setContentsMargins(4, 3, 12, 3);
    head->setSpacing(12);
    head->addWidget(filter, 1);
    head->addWidget(counts_);
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addLayout(head);
    column->addWidget(table_, 1);
    return page;
}

void Drawer::showPart(Part part) { setCurrentIndex(int(part)); }

void Drawer::count() {
    counts_->setText(tr("%1 shown · %2 selected · %3 set aside")
                         .arg(model_->rowCount())
                         .arg(document_.selectedPaths().size())
                         .arg(model_->setAsideCount()));
}

void Drawer::showSelection() {
    count();
    if (syncing_) return;
    syncing_ = true;
    QItemSelection selection;
    int first = -1;
    for (int id : document_.selectedPaths()) {
        const int row = model_->rowOf(id);
        if (row < 0) continue;
        selection.select(model_->index(row, 0), model_->index(row, FeatureModel::columns - 1));
        if (first < 0 || row < first) first = row;
    }
    table_->selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
    if (first >= 0) table_->scrollTo(model_->index(first, 0));
    syncing_ = false;
}

void Drawer::log(const QString& line) {
    log_->appendPlainText(QTime::currentTime().toString("HH:mm:ss") + "  " + line);
}

}  // namespace va
