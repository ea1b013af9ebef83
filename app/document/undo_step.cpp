// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/undo_step.h"

namespace va {

UndoStep::UndoStep(const QString& name, Shot before, Shot after, Show show, QString merge)
    : QUndoCommand(name),
      before_(std::move(before)),
      after_(std::move(after)),
      show_(std::move(show)),
      merge_(std::move(merge)) {
    made_.start();
}

void UndoStep::undo() {
    if (!dropped_) show_(before_);
}

void UndoStep::redo() {
    if (!dropped_) show_(after_);
}

bool UndoStep::mergeWith(const QUndoCommand* next) {
    const auto* step = dynamic_cast<const UndoStep*>(next);
    if (!step || dropped_ || step->merge_ != merge_ || made_.elapsed() > 1500) return false;
    after_ = step->after_;
    made_.restart();
    return true;
}

size_t UndoStep::ownBytes() const { return dropped_ ? 0 : bytesNotShared(before_, after_); }

void UndoStep::drop() const {
    dropped_ = true;
    before_ = after_ = Shot();
}

size_t bytesNotShared(const Shot& a, const Shot& b) {
    size_t bytes = 0;
    if (a.paths != b.paths) {
        bytes += b.paths->size() * sizeof(Path);
        // Both lists are in the order of their ids.
        auto old = a.paths->begin();
        for (const Path& p : *b.paths) {
            while (old != a.paths->end() && old->id < p.id) ++old;
            const bool shared = old != a.paths->end() && old->id == p.id && old->points.sharesWith(p.points);
            if (!shared) bytes += p.points.size() * sizeof(PathPoint);
        }
    }
    if (a.solve != b.solve)
        bytes += b.solve->points.size() * sizeof(SolvedPoint) + b.solve->frames.size() * sizeof(SolvedFrame);
    return bytes + sizeof(Shot);
}

}  // namespace va
