// SPDX-License-Identifier: GPL-3.0-or-later
#include "workflow/merge_paths.h"

#include <map>

namespace va {
namespace {

bool same(const Path& a, const Path& b) {
    if (a.name != b.name || a.radius != b.radius || a.searchRadius != b.searchRadius || a.model != b.model ||
        a.mover != b.mover || a.referenceFrame != b.referenceFrame || a.points.size() != b.points.size())
        return false;
    for (size_t i = 0; i < a.points.size(); ++i) {
        const PathPoint &p = a.points[i], &q = b.points[i];
        if (p.frame != q.frame || p.x != q.x || p.y != q.y || p.origin != q.origin || p.aside != q.aside ||
            p.masked != q.masked || p.sxx != q.sxx)
            return false;
    }
    return true;
}

std::map<int, const Path*> byId(const std::vector<Path>& paths) {
    std::map<int, const Path*> out;
    for (const Path& p : paths) out[p.id] = &p;
    return out;
}

}  // namespace

std::shared_ptr<const std::vector<Path>> mergedPaths(const std::vector<Path>& base, const std::vector<Path>& edited,
                                                     const std::vector<Path>& made) {
    const auto before = byId(base), mine = byId(edited);
    std::map<int, Path> out;
    for (const Path& p : made) {
        const auto was = before.find(p.id), now = mine.find(p.id);
        const bool jobChanged = was == before.end() || !same(*was->second, p);
        if (now == mine.end()) {
            if (was == before.end()) out[p.id] = p;  // removed by the artist otherwise
            continue;
        }
        // A new path of the job may have got the number of a new one by the artist.
        if (was == before.end()) {
            int id = p.id;
            while (mine.contains(id) || out.contains(id)) ++id;
            out[id] = p;
            out[id].id = id;
            continue;
        }
        Path& taken = out[p.id] = jobChanged ? p : *now->second;
        if (now->second->setAside != was->second->setAside) {
            taken.setAside = now->second->setAside;
            taken.setAsideReason = now->second->setAsideReason;
        }
    }
    for (const Path& p : edited)
        if (!out.contains(p.id) && (!before.contains(p.id) || p.origin == PathOrigin::byHand)) out[p.id] = p;
    auto list = std::make_shared<std::vector<Path>>();
    for (auto& [id, p] : out) list->push_back(std::move(p));
    return list;
}

}  // namespace va
