// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <algorithm>

namespace va {

/// The item with this id, or null. For lists of what an artist makes, which are short; the pointer holds until the list
/// changes.
template <class List>
[[nodiscard]] auto* findById(List& items, int id) {
    const auto at = std::find_if(items.begin(), items.end(), [id](const auto& item) { return item.id == id; });
    return at != items.end() ? &*at : nullptr;
}

/// The lowest id above all that are taken, from 1 on.
template <class List>
[[nodiscard]] int freeId(const List& items) {
    int id = 1;
    for (const auto& item : items) id = std::max(id, item.id + 1);
    return id;
}

}  // namespace va
