// SPDX-License-Identifier: GPL-3.0-or-later
// The library of its own that media/codec/picture_codec.h speaks of. It uses nothing else of the program: what it had
// of that would be there twice.
#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>

#include "media/codec/picture_codec.h"

namespace va {
namespace {

using OIIO::ImageSpec;
using OIIO::TypeDesc;
using Values = PictureLayout::Values;

PictureLayout layoutOf(const ImageSpec& s) {
    PictureLayout out{s.x, s.y, s.width, s.height, s.full_x, s.full_y, s.full_width, s.full_height};
    out.channels = s.channelnames;
    out.channels.resize(size_t(s.nchannels));
    out.alpha = s.alpha_channel;
    out.values = s.format == TypeDesc::UINT8    ? Values::bytes
                 : s.format == TypeDesc::UINT16 ? Values::words
                 : s.format == TypeDesc::HALF   ? Values::halfs
                 : s.format == TypeDesc::FLOAT  ? Values::floats
                                                : Values::others;
    out.real = s.format.is_floating_point();
    out.bits = s.get_int_attribute("oiio:BitsPerSample", int(s.format.size() * 8));
    return out;
}

class OpenedPicture final : public PictureInput {
  public:
    explicit OpenedPicture(std::unique_ptr<OIIO::ImageInput> input) : input_(std::move(input)), spec_(input_->spec()) {}

    [[nodiscard]] std::string format() const override { return input_->format_name(); }
    bool hasPart(int part) override {
        const bool has = input_->seek_subimage(part, 0);
        if (!has) (void)input_->geterror();
        return has;
    }
    PictureLayout layout(int part) override {
        input_->seek_subimage(part, 0);
        spec_ = input_->spec(part, 0);
        return layoutOf(spec_);
    }
    [[nodiscard]] int number(const char* tag, int otherwise) const override {
        return spec_.get_int_attribute(tag, otherwise);
    }
    [[nodiscard]] float real(const char* tag) const override { return spec_.get_float_attribute(tag, 0); }
    [[nodiscard]] std::string word(const char* tag) const override {
        return std::string(spec_.get_string_attribute(tag));
    }
    [[nodiscard]] std::optional<std::pair<int, int>> rational(const char* tag) const override {
        int both[2] = {0, 0};
        const TypeDesc type(TypeDesc::INT, TypeDesc::VEC2, TypeDesc::RATIONAL);
        return spec_.getattribute(tag, type, both) ? std::optional(std::pair(both[0], both[1])) : std::nullopt;
    }
    bool read(int part, int first, int end, float* to, std::string& error) override {
        const bool whole = input_->read_image(part, 0, first, end, TypeDesc::FLOAT, to);
        if (!whole) error = input_->geterror();
        return whole;
    }

  private:
    std::unique_ptr<OIIO::ImageInput> input_;
    ImageSpec spec_;
};

ImageSpec specOf(const PictureOutput& how) {
    const PictureLayout& l = how.layout;
    const TypeDesc type = l.values == Values::bytes   ? TypeDesc::UINT8
                          : l.values == Values::words ? TypeDesc::UINT16
                          : l.values == Values::halfs ? TypeDesc::HALF
                                                      : TypeDesc::FLOAT;
    ImageSpec spec(l.width, l.height, int(l.channels.size()), type);
    spec.channelnames = l.channels;
    spec.alpha_channel = l.alpha;
    spec.x = l.x, spec.y = l.y;
    spec.full_x = l.fullX, spec.full_y = l.fullY, spec.full_width = l.fullWidth, spec.full_height = l.fullHeight;
    for (const auto& [name, value] : how.numbers) spec.attribute(name, value);
    for (const auto& [name, value] : how.reals) spec.attribute(name, value);
    for (const auto& [name, value] : how.words) spec.attribute(name, value);
    if (how.chromaticities) spec.attribute("chromaticities", TypeDesc(TypeDesc::FLOAT, 8), how.chromaticities->data());
    return spec;
}

class OiioCodec final : public PictureCodec {
  public:
    [[nodiscard]] std::unique_ptr<PictureInput> open(const std::string& path, std::string& error) const override {
        auto input = OIIO::ImageInput::open(path);
        if (input) return std::make_unique<OpenedPicture>(std::move(input));
        error = OIIO::geterror();
        return nullptr;
    }

    bool decode(const std::vector<unsigned char>& bytes, bool png, PictureLayout& layout,
                std::vector<unsigned char>& values) const override {
        OIIO::Filesystem::IOMemReader memory(const_cast<unsigned char*>(bytes.data()), bytes.size());
        const auto in = OIIO::ImageInput::open(png ? "within.png" : "within.jpg", nullptr, &memory);
        if (!in) return false;
        layout = layoutOf(in->spec());
        values.resize(size_t(layout.width) * size_t(layout.height) * layout.channels.size());
        return in->read_image(0, 0, 0, int(layout.channels.size()), TypeDesc::UINT8, values.data());
    }

    Encoded encode(const std::string& path, const PictureOutput& how, const std::vector<float>& values,
                   std::vector<unsigned char>& bytes, std::string& error) const override {
        const auto file = OIIO::ImageOutput::create(path);
        if (!file) {
            error = OIIO::geterror();
            return Encoded::failed;
        }
        if (!file->supports("ioproxy")) return Encoded::byFileOnly;
        OIIO::Filesystem::IOVecOutput memory(bytes);
        file->set_ioproxy(&memory);
        if (file->open(path, specOf(how)) && file->write_image(TypeDesc::FLOAT, values.data()) && file->close())
            return Encoded::inMemory;
        error = file->geterror();
        return Encoded::failed;
    }

    bool write(const std::string& path, const PictureOutput& how, const std::vector<float>& values,
               std::string& error) const override {
        const auto file = OIIO::ImageOutput::create(path);
        const ImageSpec spec = specOf(how);
        if (!file || !file->open(path, spec) || !file->write_image(TypeDesc::FLOAT, values.data()) || !file->close()) {
            error = file ? file->geterror() : OIIO::geterror();
            return false;
        }
        const auto again = OIIO::ImageInput::open(path);
        std::vector<float> row(size_t(spec.width) * size_t(spec.nchannels));
        if (again && again->read_scanline(spec.height - 1 + spec.y, 0, TypeDesc::FLOAT, row.data())) return true;
        error = again ? again->geterror() : OIIO::geterror();
        return false;
    }
};

}  // namespace
}  // namespace va

extern "C" __attribute__((visibility("default"))) const va::PictureCodec* vaPictureCodec() {
    static const va::OiioCodec codec;
    return &codec;
}
