// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/feature_model.h"
#include "solve/report/outlier_words.h"

#include <algorithm>
#include <map>
#include <unordered_map>

namespace va {

FeatureModel::FeatureModel(Document& document, QObject* parent) : QAbstractTableModel(parent), document_(document) {
    connect(&document_, &Document::shotChanged, this, &FeatureModel::rebuild);
    rebuild();
}

void FeatureModel::rebuild() {
    const Shot& shot = document_.shot();
    std::vector<std::vector<int>> movers;
    std::vector<const void*> solves{shot.solve.get()};
    for (const Mover& m : shot.movers) movers.push_back(m.paths), solves.push_back(m.solve.get());
    if (paths_ == shot.paths.get() && solves_ == solves && movers_ == movers) return;
    movers_ = std::move(movers);
    paths_ = shot.paths.get();
    solves_ = std::move(solves);
    beginResetModel();
    std::map<int, const SolvedPoint*> points;
    std::map<int, const SolveOutlier*> outliers;
    // A thing's features are judged by its own solve, not by the scene's.
    const auto take = [&](const SolveResult& solve, const Mover* of) {
        for (const SolvedPoint& p : solve.points)
            if (shot.moverOfPath(p.pathId) == of) points[p.pathId] = &p;
        for (const SolveOutlier& o : solve.outliers)
            if (shot.moverOfPath(o.pathId) == of) outliers[o.pathId] = &o;
    };
    take(*shot.solve, nullptr);
    for (const Mover& m : shot.movers) take(*m.solve, &m);
    all_.clear();
    aside_ = 0;
    // A path's share of the cover: over its frames, one over the number of paths in its part of the picture.
    const auto cell = [&](const PathPoint& q) {
        const int x = std::clamp(int(q.x * 6 / std::max(1, shot.plate.width)), 0, 5),
                  y = std::clamp(int(q.y * 4 / std::max(1, shot.plate.height)), 0, 3);
        return std::pair(q.frame, y * 6 + x);
    };
    std::unordered_map<int64_t, int> crowds;
    const auto key = [&](const PathPoint& q) {
        const auto [frame, c] = cell(q);
        return int64_t(frame) * 24 + c;
    };
    for (const Path& p : *shot.paths)
        if (!p.setAside)
            for (const PathPoint& q : p.points)
                if (q.counts()) ++crowds[key(q)];
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
        r.drift = double(p.drift());
        const Mover* thing = shot.moverOfPath(p.id);
        r.mover = thing ? thing->id : 0;
        for (const PathPoint& q : p.points)
            if (q.counts() && !p.setAside) r.cover += 1.0 / std::max(1, crowds[key(q)]);
        r.cover /= double(std::max<size_t>(1, p.points.size()));
        if (const auto s = points.find(p.id); s != points.end()) {
            r.mean = s->second->rmsPx;
            r.worst = s->second->worstPx;
            r.worstFrame = s->second->worstFrame;
            if (s->second->heldBack) r.note = tr("held back for the check");
        }
        if (const auto o = outliers.find(p.id); o != outliers.end())
            r.note = o->second->whole
                         ? QString::fromStdString(outlierWords(o->second->reason))
                         : (o->second->frames.size() == 1 ? tr("1 frame not used")
                                                          : tr("%1 frames not used").arg(o->second->frames.size()));
        if (r.aside) r.note = tr("set aside: %1").arg(QString::fromStdString(p.setAsideReason));
        else if (r.byHand) r.note = tr("by hand");
        all_.push_back(r);
    }
    choose();
    order();
    endResetModel();
}

void FeatureModel::setFilter(const QString& text) {
    filter_ = text.toLower().split(QLatin1Char(' '), Qt::SkipEmptyParts);
    beginResetModel();
    choose();
    order();
    endResetModel();
}

void FeatureModel::choose() {
    rows_.clear();
    for (const Row& r : all_)
        if (passes(r)) rows_.push_back(r);
}

bool FeatureModel::passes(const Row& r) const {
    for (const QString& word : filter_) {
        const auto at = std::max(word.indexOf(QLatin1Char('<')), word.indexOf(QLatin1Char('>')));
        if (at > 0) {
            bool number = false;
            const double limit = word.mid(at + 1).toDouble(&number);
            const QString column = word.left(at);
            const double value = column == "length"     ? r.length
                                 : column == "residual" ? r.mean
                                 : column == "worst"    ? r.worst
                                 : column == "quality"  ? r.quality
                                 : column == "drift"    ? r.drift
                                 : column == "cover"    ? r.cover * 100
                                                        : -2;
            if (!number || value == -2) continue;  // not typed to its end yet
            // What was not solved has no residual to compare.
            if (value == -1 || !(word[at] == QLatin1Char('<') ? value < limit : value > limit)) return false;
        } else if (word == "by:hand") {
            if (!r.byHand) return false;
        } else if (word == "aside") {
            if (!r.aside) return false;
        } else if (word == "used") {
            if (r.aside || !r.note.isEmpty()) return false;
        } else if (!r.name.toLower().contains(word) && !r.note.toLower().contains(word)) {
            return false;
        }
    }
    return true;
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
            case drift: return r.drift;
            case cover: return r.cover;
            case mover: return r.mover;
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
                                  QT_TR_NOOP("Residual"),
                                  QT_TR_NOOP("Worst px"),
                                  QT_TR_NOOP("Quality"),
                                  QT_TR_NOOP("Drift"),
                                  QT_TR_NOOP("Cover"),
                                  QT_TR_NOOP("Mover"),
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
            case drift: return QString::number(r.drift, 'f', 2);
            case cover: return tr("%1 %").arg(r.cover * 100, 0, 'f', 0);
            case mover: return r.mover == 0 ? tr("scene") : QString::number(r.mover);
            case note: return r.note;
            default: return {};
        }
    }
    if (role == Qt::AccessibleTextRole && index.column() == state)
        return r.aside ? tr("set aside") : r.byHand ? tr("by hand") : tr("automatic");
    return {};
}

}  // namespace va
