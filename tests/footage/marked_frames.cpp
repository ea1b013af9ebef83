// SPDX-License-Identifier: GPL-3.0-or-later
#include "marked_frames.h"

#include <array>
#include <cstdio>
#include <fstream>

namespace va::marked {
namespace {

constexpr int bits = 8, blockWidth = width / bits, firstRow = 0, secondRow = 20, patchRow = 40, textureRow = 64;
constexpr std::array<std::array<int, 3>, 8> colours{{{200, 40, 40},
                                                     {40, 180, 60},
                                                     {50, 60, 200},
                                                     {220, 200, 60},
                                                     {180, 60, 190},
                                                     {60, 190, 200},
                                                     {235, 235, 235},
                                                     {30, 30, 30}}};

std::array<int, 3> pixel(int n, int x, int y) {
    const int block = x / blockWidth;
    if (y < patchRow) {
        const bool on = (n >> (bits - 1 - block) & 1) != 0;
        const int v = on == (y < secondRow) ? 225 : 25;
        return {v, v, v};
    }
    if (y < textureRow) return colours[size_t(block)];
    // A texture that glides by two px a frame.
    const unsigned u = unsigned(x + 2 * n) / 5 * 2654435761u + unsigned(y) / 5 * 40503u;
    const int v = 60 + int((u >> 13) % 130);
    return {v, (v + 20) % 256, v};
}

/// Mean of a component over the middle of a cell, from a function that gives a pixel's component.
template <class Component>
double middleOf(Component at, int w, int h, int block, int row, int rows, int c) {
    double sum = 0;
    int n = 0;
    const auto scaled = [](int v, int to, int from) { return v * to / from; };
    for (int y = scaled(row + rows / 3, h, height); y < scaled(row + 2 * rows / 3, h, height); ++y)
        for (int x = scaled(block * blockWidth + 7, w, width); x < scaled(block * blockWidth + 13, w, width); ++x)
            sum += at(x, y, c), ++n;
    return n > 0 ? sum / n : 0;
}

template <class Component>
int numberBy(Component at, int w, int h) {
    int number = 0;
    for (int b = 0; b < bits; ++b) {
        const double one = middleOf(at, w, h, b, firstRow, secondRow, 1), two = middleOf(at, w, h, b, secondRow, 20, 1);
        if (std::abs(one - two) < 60) return -1;
        number = number * 2 + (one > two);
    }
    return number;
}

template <class Component>
std::vector<double> coloursBy(Component at, int w, int h) {
    std::vector<double> out;
    for (int b = 0; b < bits; ++b)
        for (int c = 0; c < 3; ++c) out.push_back(middleOf(at, w, h, b, patchRow, textureRow - patchRow, c));
    return out;
}

auto componentOf(const DisplayPicture& p) {
    return [&p](int x, int y, int c) { return double(p.at(x, y) >> (16 - 8 * c) & 255); };
}

}  // namespace

std::filesystem::path rawFile(const std::filesystem::path& folder, int frames, int scale) {
    const auto file = folder / ("marked-" + std::to_string(frames) + "x" + std::to_string(scale) + ".rgb");
    if (std::filesystem::exists(file)) return file;
    std::ofstream out(file, std::ios::binary);
    std::string row;
    for (int n = 0; n < frames; ++n)
        for (int y = 0; y < height; ++y) {
            row.clear();
            for (int x = 0; x < width * scale; ++x)
                for (const int v : pixel(n, x / scale, y)) row.push_back(char(v));
            for (int k = 0; k < scale; ++k) out.write(row.data(), std::streamsize(row.size()));
        }
    return file;
}

int numberIn(const DisplayPicture& p) { return numberBy(componentOf(p), p.width, p.height); }
std::vector<double> patchColours(const DisplayPicture& p) { return coloursBy(componentOf(p), p.width, p.height); }

std::string outputOf(const std::string& command) {
    std::string out;
    FILE* pipe = popen((command + " 2>/dev/null").c_str(), "r");
    if (!pipe) return out;
    std::array<char, 65536> buffer;
    while (const size_t n = fread(buffer.data(), 1, buffer.size(), pipe)) out.append(buffer.data(), n);
    pclose(pipe);
    return out;
}

Reference byFfmpeg(const std::filesystem::path& movie, const std::string& options, const std::string& output) {
    Reference out;
    // Portable pixmaps carry their size, which differs from the file's where it is turned upright.
    const std::string all = outputOf("ffmpeg -v quiet -nostdin " + options + " -i '" + movie.string() + "' " + output +
                                     " -fps_mode passthrough -sws_flags accurate_rnd+full_chroma_int+bilinear -f "
                                     "image2pipe -c:v ppm -pix_fmt rgb24 -");
    for (size_t at = 0; at + 3 < all.size();) {
        int w = 0, h = 0, top = 0, used = 0;
        if (std::sscanf(all.c_str() + at, "P6 %d %d %d%n", &w, &h, &top, &used) != 3) break;
        const size_t begin = at + size_t(used) + 1, size = size_t(3) * size_t(w) * size_t(h);
        if (begin + size > all.size()) break;
        out.width = w;
        out.height = h;
        DisplayPicture p(w, h);
        for (size_t i = 0; i < p.data.size(); ++i) {
            const auto byte = [&](size_t c) { return uint32_t(uint8_t(all[begin + 3 * i + c])); };
            p.data[i] = 0xff000000u | byte(0) << 16 | byte(1) << 8 | byte(2);
        }
        out.frames.push_back(std::move(p));
        at = begin + size;
    }
    return out;
}

}  // namespace va::marked
