// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/feature_model.h"

#include <algorithm>
#include <map>

namespace va {

FeatureModel::FeatureModel(Document& document, QObject* parent) : QAbstractTableModel(parent), document_(document) {
    connect(&document_, &Document::shotChanged, this, &FeatureModel::rebuild);
    rebuild();
}

void FeatureModel::rebuild() {
    const Shot& shot = document_.shot();
    if (paths_ == shot.paths.get() && solve_ == shot.solve.get()) return;
    paths_ = shot.paths.get();
    solve_ = shot.solve.get();
    beginResetModel();
    std::map<int, const SolvedPoint*> points;
    std::map<int, const SolveOutlier*> outliers;
    for (const SolvedPoint& p : shot.solve->points) points[p.pathId] = &p;
    for (const SolveOutlier& o : shot.solve->outliers) outliers[o.pathId] = &o;
    rows_.clear();
    aside_ = 0;
    for (const Path& p : *shot.paths) {
        Row r;
        r.id = p.id;
        r.name = p.name.empty() ? QString::number(p.id) : QString::fromStdString(p.name);
        r.first = p.frames().first;
        r.last = p.frames().last;
        r.length = int(p.points.size());
        r.byHand = p.origin == PathOrigin::byHand;
        r.aside = p.setAside;
        aside_ += p.setAside;
        for (const PathPoint& q : p.points) r.quality += q.quality;
        r.quality /= double(std::max<size_t>(1, p.points.size()));
        if (const auto s = points.find(p.id); s != points.end()) {
            r.mean = s->second->rmsPx;
            r.worst = s->second->worstPx;
            r.worstFrame = s->second->worstFrame;
            if (s->second->heldBack) r.note = tr("held back for the check");
        }
        if (const auto o = outliers.find(p.id); o != outliers.end())
            r.note = o->second->whole
                         ? QString::fromStdString(o->second->reason)
                         : (o->second->frames.size() == 1 ? tr("1 frame not used")
                                                          : tr("%1 frames not used").arg(o->second->frames.size()));
        if (r.aside) r.note = tr("set aside: %1").arg(QString::fromStdString(p.setAsideReason));
        else if (r.byHand) r.note = tr("by hand");
        rows_.push_back(r);
    }
    order();
    endResetModel();
}

void FeatureModel::order() {
    const auto key = [this](const Row& r) -> double {
        switch (sortColumn_) {
            case state: return r.aside * 2 + r.byHand;
            case frames: return r.first;
            case length: return r.length;
            case mean: return r.mean;
            case worst: return r.worst;
            case quality: return r.quality;
            default: return r.id;
        }
    };
    const bool rising = sortOrder_ == Qt::AscendingOrder;
    if (sortColumn_ == note)
        std::stable_sort(rows_.begin(), rows_.end(),
                         [&](const Row& a, const Row& b) { return rising ? a.note < b.note : b.note < a.note; });
    else
        std::stable_sort(rows_.begin(), rows_.end(),
                         [&](const Row& a, const Row& b) { return rising ? key(a) < key(b) : key(b) < key(a); });
}

void FeatureModel::sort(int column, Qt::SortOrder direction) {
    sortColumn_ = column;
    sortOrder_ = direction;
    beginResetModel();
    order();
    endResetModel();
}

int FeatureModel::rowOf(int pathId) const {
    for (size_t i = 0; i < rows_.size(); ++i)
        if (rows_[i].id == pathId) return int(i);
    return -1;
}

QVariant FeatureModel::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
    static const char* names[] = {"",
                                  QT_TR_NOOP("Feature"),
                                  QT_TR_NOOP("Frames"),
                                  QT_TR_NOOP("Length"),
                                  QT_TR_NOOP("Mean px"),
                                  QT_TR_NOOP("Worst px"),
                                  QT_TR_NOOP("Quality"),
                                  QT_TR_NOOP("Note")};
    return *names[section] ? tr(names[section]) : QString();
}

QVariant FeatureModel::data(const QModelIndex& index, int role) const {
    const Row& r = rows_[size_t(index.row())];
    if (role == Qt::DisplayRole) {
        switch (index.column()) {
            case state:
                return r.aside ? QString(QChar(0x00B7)) : r.byHand ? QString(QChar(0x25C7)) : QString(QChar(0x25CB));
            case name: return r.name;
            case frames: return tr("%1–%2").arg(r.first).arg(r.last);
            case length: return r.length;
            case mean: return r.mean < 0 ? QString("–") : QString::number(r.mean, 'f', 2);
            case worst: return r.worst < 0 ? QString("–") : tr("%1 at %2").arg(r.worst, 0, 'f', 2).arg(r.worstFrame);
            case quality: return QString::number(r.quality, 'f', 3);
            case note: return r.note;
            default: return {};
        }
    }
    if (role == Qt::AccessibleTextRole && index.column() == state)
        return r.aside ? tr("set aside") : r.byHand ? tr("by hand") : tr("automatic");
    return {};
}

}  // namespace va
