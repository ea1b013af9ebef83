// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/things_list.h"

#include <QDropEvent>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>
#include <map>

#include "style/theme.h"

namespace va {
namespace {

enum Column { name, kind, hangs, position, eye, lock, columns };
constexpr int idRole = Qt::UserRole;

int idOf(const QTreeWidgetItem* item) { return item ? item->data(name, idRole).toInt() : 0; }

}  // namespace

void ThingsTree::dropEvent(QDropEvent* event) {
    QSet<int> moved;
    for (const QTreeWidgetItem* i : selectedItems())
        if (const int id = idOf(i)) moved.insert(id);
    const QTreeWidgetItem* target = itemAt(event->position().toPoint());
    event->setDropAction(Qt::IgnoreAction);
    event->accept();
    if (!moved.isEmpty()) Q_EMIT hungOn(moved, idOf(target));
}

ThingsList::ThingsList(Document& document, LayoutEdits& edits, QWidget* parent)
    : QFrame(parent),
      document_(document),
      edits_(edits),
      tree_(new ThingsTree),
      by_(new QComboBox),
      search_(new QLineEdit) {
    setObjectName("thingsList");
    tree_->setObjectName("thingsTree");
    tree_->setAccessibleName(tr("List of things"));
    tree_->setColumnCount(columns);
    tree_->setHeaderLabels({tr("Name"), tr("Kind"), tr("Hangs on"), tr("Position"), QString(), QString()});
    tree_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    tree_->setDragDropMode(QAbstractItemView::InternalMove);
    tree_->setUniformRowHeights(true);
    tree_->setEditTriggers(QAbstractItemView::EditKeyPressed | QAbstractItemView::DoubleClicked);
    tree_->header()->setStretchLastSection(false);
    tree_->header()->setSectionResizeMode(hangs, QHeaderView::Stretch);
    const int widths[] = {190, 96, 0, 170, 28, 28};
    for (int c = 0; c < columns; ++c)
        if (widths[c] > 0) tree_->setColumnWidth(c, widths[c]);
    by_->setObjectName("thingsBy");
    by_->setAccessibleName(tr("Order of the list"));
    by_->addItems({tr("Tree"), tr("By kind"), tr("By what it hangs on")});
    search_->setObjectName("thingsSearch");
    search_->setAccessibleName(tr("Search things"));
    search_->setPlaceholderText(tr("Search: a name, a kind, what it hangs on"));
    search_->setClearButtonEnabled(true);
    auto* head = new QHBoxLayout;
    head->setContentsMargins(4, 3, 12, 3);
    head->setSpacing(12);
    head->addWidget(by_);
    head->addWidget(search_, 1);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addLayout(head);
    column->addWidget(tree_, 1);
    connect(by_, &QComboBox::currentIndexChanged, this, [this] {
        shown_ = 0;
        refresh();
    });
    connect(search_, &QLineEdit::textChanged, this, &ThingsList::filter);
    connect(&document_, &Document::shotChanged, this, &ThingsList::refresh);
    connect(&document_, &Document::selectionChanged, this, &ThingsList::showSelection);
    connect(tree_, &QTreeWidget::itemSelectionChanged, this, [this] {
        if (syncing_) return;
        QSet<int> ids;
        for (const QTreeWidgetItem* i : tree_->selectedItems())
            if (const int id = idOf(i)) ids.insert(id);
        syncing_ = true;
        document_.selectThings(ids, idOf(tree_->currentItem()));
        syncing_ = false;
    });
    connect(tree_, &QTreeWidget::itemClicked, this, [this](QTreeWidgetItem* item, int c) {
        const Thing* t = document_.shot().thing(idOf(item));
        if (t && c == eye) edits_.setVisible(t->id, !t->visibleAt(document_.frame()));
        else if (t && c == lock) edits_.setLocked(t->id, !t->locked);
    });
    connect(tree_, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int c) {
        if (syncing_ || c != name || idOf(item) == 0) return;
        document_.selectThing(idOf(item));
        edits_.rename(item->text(name));
        shown_ = 0;
        refresh();
    });
    connect(tree_, &ThingsTree::hungOn, this, [this](const QSet<int>& things, int on) {
        if (by_->currentIndex() == 0) edits_.setParent(things, on);
    });
    refresh();
}

void ThingsList::fillRow(QTreeWidgetItem* item, const Thing& thing) {
    item->setText(name, QString::fromStdString(thing.name));
    item->setText(kind, tr(kindLabel(thing.kind)));
    item->setText(hangs, QString::fromStdString(hangWordsOf(document_.shot(), thing.hang)));
    item->setText(position, QStringLiteral("%1  %2  %3")
                                .arg(thing.position.x(), 0, 'f', 2)
                                .arg(thing.position.y(), 0, 'f', 2)
                                .arg(thing.position.z(), 0, 'f', 2));
    item->setIcon(eye, icon(thing.visible ? "eye" : "eye-off"));
    item->setIcon(lock, icon(thing.locked ? "lock" : "lock-open"));
    item->setToolTip(eye, thing.visible ? tr("Shown. A click hides it, and what hangs on it.") : tr("Hidden"));
    item->setToolTip(lock, thing.locked ? tr("Locked. A click unlocks it.") : tr("A click locks it."));
    item->setData(name, idRole, thing.id);
    item->setFlags(item->flags() | Qt::ItemIsEditable | Qt::ItemIsDragEnabled | Qt::ItemIsDropEnabled);
}

void ThingsList::refresh() {
    if (shown_ == document_.revision() && shown_ != 0) return;
    shown_ = document_.revision();
    syncing_ = true;
    tree_->clear();
    const Shot& shot = document_.shot();
    if (by_->currentIndex() == 0) {
        std::map<int, QTreeWidgetItem*> items;
        for (const Thing& t : shot.things) {
            items[t.id] = new QTreeWidgetItem;
            fillRow(items[t.id], t);
        }
        for (const Thing& t : shot.things) {
            const auto parent = items.find(t.parent());
            if (parent != items.end()) parent->second->addChild(items[t.id]);
            else tree_->addTopLevelItem(items[t.id]);
        }
    } else {
        // Collections: one a kind, or one a target.
        std::map<QString, QTreeWidgetItem*> collections;
        for (const Thing& t : shot.things) {
            const QString of =
                by_->currentIndex() == 1 ? tr(kindLabel(t.kind)) : QString::fromStdString(hangWordsOf(shot, t.hang));
            auto& collection = collections[of];
            if (!collection) collection = new QTreeWidgetItem;
            auto* item = new QTreeWidgetItem(collection);
            fillRow(item, t);
        }
        for (const auto& [of, item] : collections) {
            item->setText(name, tr("%1 (%2)").arg(of).arg(item->childCount()));
            tree_->addTopLevelItem(item);
        }
    }
    tree_->expandAll();
    syncing_ = false;
    filter();
    showSelection();
}

void ThingsList::filter() {
    const QString wanted = search_->text().trimmed();
    // A row stays where it, or something below it, fits.
    const std::function<bool(QTreeWidgetItem*)> fits = [&](QTreeWidgetItem* item) {
        bool any = wanted.isEmpty();
        for (int c : {int(name), int(kind), int(hangs)})
            any = any || (idOf(item) != 0 && item->text(c).contains(wanted, Qt::CaseInsensitive));
        for (int i = 0; i < item->childCount(); ++i) any = fits(item->child(i)) || any;
        item->setHidden(!any);
        return any;
    };
    for (int i = 0; i < tree_->topLevelItemCount(); ++i) fits(tree_->topLevelItem(i));
}

void ThingsList::showSelection() {
    if (syncing_) return;
    syncing_ = true;
    const std::function<void(QTreeWidgetItem*)> show = [&](QTreeWidgetItem* item) {
        item->setSelected(idOf(item) != 0 && document_.selectedThings().contains(idOf(item)));
        if (idOf(item) != 0 && idOf(item) == document_.selectedThing()) tree_->scrollToItem(item);
        for (int i = 0; i < item->childCount(); ++i) show(item->child(i));
    };
    for (int i = 0; i < tree_->topLevelItemCount(); ++i) show(tree_->topLevelItem(i));
    syncing_ = false;
}

}  // namespace va
