// SPDX-License-Identifier: GPL-3.0-or-later
#include "media/codec/picture_codec.h"

#include <dlfcn.h>

#include <filesystem>

#include "base/error.h"
#include "base/text.h"

namespace va {
namespace {

const PictureCodec* loadCodec() {
    std::error_code code;
    const auto program = std::filesystem::read_symlink("/proc/self/exe", code);
    const std::string file = (program.parent_path() / "va-pictures.so").string();
    void* library = ::dlopen(file.c_str(), RTLD_NOW | RTLD_LOCAL);
    void* entry = library ? ::dlsym(library, "vaPictureCodec") : nullptr;
    if (!entry) {
        const char* why = ::dlerror();
        throw InputError(
            text("The part of the program that reads pictures, \"%s\", can't be loaded. Install the program "
                 "anew.",
                 file.c_str()),
            why ? why : "");
    }
    return reinterpret_cast<const PictureCodec* (*)()>(entry)();
}

}  // namespace

const PictureCodec& pictureCodec() {
    static const PictureCodec* const codec = loadCodec();
    return *codec;
}

}  // namespace va
