// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/atomic_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <sstream>

#include "base/error.h"
#include "base/part_file.h"
#include "base/text.h"

namespace va {
namespace {

[[noreturn]] void failWriting(const std::filesystem::path& path, int code) {
    std::string advice = text("Choose another folder, or check that this one can be written to.");
    if (code == ENOSPC || code == EDQUOT) advice = text("The disk is full: free some space or choose another disk.");
    throw InputError(
        text("\"%s\" was not written; the file there, if any, is unchanged. %s", path.string().c_str(), advice.c_str()),
        std::strerror(code));
}

}  // namespace

void writeFileAtomically(const std::filesystem::path& path, std::string_view content) {
    PartFile place(path);
    const int file = open(place.part().c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
    if (file < 0) failWriting(path, errno);
    size_t done = 0;
    int code = 0;
    while (done < content.size()) {
        const ssize_t n = write(file, content.data() + done, content.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) {
            code = n < 0 ? errno : EIO;
            break;
        }
        done += size_t(n);
    }
    if (code == 0 && fsync(file) != 0 && errno != EINVAL && errno != EROFS) code = errno;
    if (close(file) != 0 && code == 0) code = errno;
    if (code == 0) code = place.commit();
    if (code != 0) failWriting(path, code);
}

std::string readFile(const std::filesystem::path& path) {
    std::error_code ignored;
    if (std::filesystem::is_directory(path, ignored))
        throw InputError(text("\"%s\" is a folder, not a file. Choose a file in it.", path.string().c_str()));
    std::ifstream in(path, std::ios::binary);
    std::ostringstream out;
    out << in.rdbuf();
    if (!in) {
        throw InputError(
            text("\"%s\" can't be read. Check that it exists and that you may read it.", path.string().c_str()),
            std::strerror(errno));
    }
    return std::move(out).str();
}

}  // namespace va
