// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/part_file.h"

#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <mutex>
#include <set>
#include <string>

#include "base/error.h"
#include "base/text.h"

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

/// What a link leads to, which may not be there yet: the link itself stays. A chain that goes round is left as it is.
std::filesystem::path behindLinks(std::filesystem::path path) {
    constexpr int most = 40;  // as the kernel follows
    const std::filesystem::path given = path;
    for (int hop = 0; hop < most; ++hop) {
        std::error_code code;
        if (!std::filesystem::is_symlink(std::filesystem::symlink_status(path, code))) return path;
        const std::filesystem::path to = std::filesystem::read_symlink(path, code);
        if (code) return path;
        path = to.is_absolute() ? to : path.parent_path() / to;
    }
    return given;
}

}  // namespace

PartFile::PartFile(std::filesystem::path path) : path_(behindLinks(std::move(path))) {
    std::error_code code;
    const auto there = std::filesystem::status(path_, code);
    // Taking the place of a device would break it for every program.
    if (std::filesystem::exists(there) && !std::filesystem::is_regular_file(there) &&
        !std::filesystem::is_directory(there))
        throw InputError(
            text("\"%s\" is a pipe or a device, not a file. Choose another name.", path_.string().c_str()));
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
