// SPDX-License-Identifier: GPL-3.0-or-later
#include "run_folder.h"

#include <unistd.h>

#include "arguments.h"
#include "base/error.h"

namespace fs = std::filesystem;

namespace va {

RunFolder::RunFolder(const std::string& out) : out_(out) {
    makeFolder(out);
    // On the same disk, so that moving is only a change of name.
    work_ = out_ / (".run-" + std::to_string(getpid()));
    makeFolder(work_.string());
}

RunFolder::~RunFolder() {
    std::error_code code;
    fs::remove_all(work_, code);
}

fs::path RunFolder::file(const std::string& name) {
    names_.push_back(name);
    return work_ / name;
}

std::vector<std::string> RunFolder::commit() {
    std::vector<std::string> aside;
    for (const std::string& name : old_) {
        std::error_code code;
        if (!fs::exists(fs::symlink_status(out_ / name, code))) continue;
        fs::rename(out_ / name, out_ / (name + "~"), code);
        if (code)
            throw InputError("\"" + (out_ / name).string() +
                                 "\" is of an earlier match and can't be renamed. Check that you may write there.",
                             code.message());
        aside.push_back(name);
    }
    old_.clear();
    for (const std::string& name : names_) {
        std::error_code code;
        fs::rename(work_ / name, out_ / name, code);
        if (code)
            throw InputError("\"" + (out_ / name).string() + "\" can't be replaced. Check that you may write there.",
                             code.message());
    }
    names_.clear();
    return aside;
}

}  // namespace va
