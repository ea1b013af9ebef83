// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/part_file.h"

#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <mutex>
#include <set>
#include <string>

namespace va {
namespace {

/// All part files of the process, so that ending it on a signal leaves none behind.
struct Unfinished {
    std::mutex mutex;
    std::set<std::string> parts;
};
Unfinished& unfinished() {
    static Unfinished u;
    return u;
}

}  // namespace

PartFile::PartFile(std::filesystem::path path) : path_(std::move(path)) {
    part_ = path_.parent_path() /
            (path_.stem().string() + ".part-" + std::to_string(getpid()) + path_.extension().string());
    const std::scoped_lock lock(unfinished().mutex);
    unfinished().parts.insert(part_.string());
}

PartFile::~PartFile() {
    const std::scoped_lock lock(unfinished().mutex);
    if (unfinished().parts.erase(part_.string()) > 0) ::unlink(part_.c_str());
}

int PartFile::commit() {
    const std::scoped_lock lock(unfinished().mutex);
    if (std::rename(part_.c_str(), path_.c_str()) != 0) return errno;
    unfinished().parts.erase(part_.string());
    return 0;
}

void PartFile::removeAll() noexcept {
    Unfinished& u = unfinished();
    const bool locked = u.mutex.try_lock();
    for (const std::string& part : u.parts) ::unlink(part.c_str());
    if (locked) u.mutex.unlock();
}

}  // namespace va
