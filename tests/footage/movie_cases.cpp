// SPDX-License-Identifier: GPL-3.0-or-later
#include "movie_cases.h"

#include <cctype>
#include <cstdlib>

namespace va {
namespace {

/// An encoding, and the container it goes into.
struct Coded {
    std::string title, ending, coding;
};

struct Table {
    std::vector<MovieCase> cases;

    MovieCase& add(const std::string& title, const std::string& ending, const std::string& make) {
        MovieCase c;
        for (const char ch : title + "_" + ending)
            if (std::isalnum(static_cast<unsigned char>(ch)) || ch == '_') c.name += ch;
        c.file = c.name + "." + ending;
        c.make = make;
        cases.push_back(c);
        return cases.back();
    }
    /// One encoding of the marked frames, in several containers.
    void encode(const std::string& title, const std::vector<std::string>& endings, const std::string& coding) {
        for (const std::string& e : endings) add(title, e, "ffmpeg $RAW " + coding + " $OUT");
    }
    /// An encoding whose packets are copied with changed stamps.
    MovieCase& restamp(const std::string& title, const std::string& ending, const std::string& coding,
                       const std::string& stamps, const std::string& options = "") {
        return add(title, ending,
                   "ffmpeg $RAW " + coding + " $DIR/a.mkv && ffmpeg -i $DIR/a.mkv -c copy -bsf:v setts=" + stamps +
                       " " + options + " $OUT");
    }
};

const std::string h264 = "-c:v libx264 -preset veryfast -pix_fmt yuv420p -crf 16 -bf 3 -g 12 ";
const std::string h265 =
    "-c:v libx265 -preset veryfast -pix_fmt yuv420p -crf 16 -x265-params log-level=none:bframes=3:keyint=12 ";
const std::string mpeg4 = "-c:v mpeg4 -q:v 2 -bf 2 -g 12 ";
const std::string mpeg2 = "-c:v mpeg2video -q:v 2 -bf 2 -g 12 ";

void addCodecs(Table& t) {
    t.encode("h264", {"mp4", "mov", "mkv", "avi", "asf", "ts", "m2ts", "h264", "flv", "nut", "mpg", "3gp", "mxf"},
             h264);
    t.encode("h265", {"mp4", "mov", "mkv", "ts", "hevc", "nut"}, h265);
    t.encode("mpeg4", {"mp4", "mov", "mkv", "avi", "asf", "m4v", "ts", "nut", "3gp"}, mpeg4);
    t.encode("mpeg2", {"mpg", "vob", "ts", "m2ts", "m2v", "mkv", "mov", "mxf", "avi"}, mpeg2);
    t.encode("mpeg1", {"mpg", "m1v", "mkv"}, "-c:v mpeg1video -q:v 2 -bf 2 -g 12");
    t.encode("h264closed", {"mp4"}, "-c:v libx264 -pix_fmt yuv420p -crf 16 -bf 0 -g 1");
    t.encode("h264open", {"mp4", "mkv", "ts", "h264", "avi"},
             "-c:v libx264 -pix_fmt yuv420p -crf 16 -x264-params "
             "open-gop=1:keyint=12:min-keyint=12:bframes=3:b-pyramid=normal");
    t.encode("h264refresh", {"mp4", "ts", "h264"},
             "-c:v libx264 -pix_fmt yuv420p -crf 16 -x264-params intra-refresh=1:keyint=16:bframes=2");
    t.encode("h264long", {"mp4", "mkv", "ts", "avi"}, "-c:v libx264 -pix_fmt yuv420p -crf 16 -g 250 -bf 16 -refs 8");
    t.encode("h264slices", {"mp4", "ts"}, h264 + "-x264-params slices=4");
    t.encode("h264mbaff", {"mp4", "ts"},
             h264 + "-vf scale=160:96:flags=neighbor -flags +ildct+ilme -x264-params tff=1");
    t.encode("h264ten", {"mp4", "mkv"}, "-c:v libx264 -pix_fmt yuv420p10le -crf 14 -g 12");
    t.encode("h264422", {"mov"}, "-c:v libx264 -pix_fmt yuv422p10le -crf 14 -g 12");
    t.encode("h264444", {"mkv"}, "-c:v libx264 -pix_fmt yuv444p -crf 14 -g 12");
    t.encode("h264lossless", {"mp4"}, "-c:v libx264 -pix_fmt yuv420p -qp 0 -g 12");
    t.encode("h264rgb", {"mp4", "mkv"}, "-c:v libx264rgb -crf 12 -g 12");
    t.encode("h264fragments", {"mp4"}, h264 + "-movflags frag_keyframe+empty_moov");
    t.encode("h265ten", {"mp4"},
             "-c:v libx265 -preset veryfast -pix_fmt yuv420p10le -crf 14 -x265-params log-level=none:keyint=12");
    t.encode("h265open", {"mp4", "hevc", "ts"},
             "-c:v libx265 -preset veryfast -pix_fmt yuv420p -crf 16 -x265-params "
             "log-level=none:open-gop=1:keyint=10:min-keyint=10:bframes=4");
    t.encode("h265gbr", {"mp4"}, "-c:v libx265 -preset veryfast -pix_fmt gbrp -crf 10 -x265-params log-level=none");
    t.encode("vp8", {"webm", "mkv"}, "-c:v libvpx -crf 6 -b:v 4M -auto-alt-ref 1 -lag-in-frames 16 -g 20");
    t.encode("vp9", {"webm", "mp4"},
             "-c:v libvpx-vp9 -crf 12 -b:v 0 -deadline realtime -cpu-used 5 -auto-alt-ref 1 -lag-in-frames 16 -g 20");
    t.encode("av1", {"mp4", "mkv"}, "-c:v libaom-av1 -crf 16 -cpu-used 8 -usage realtime -g 20 -pix_fmt yuv420p");
    t.encode("theora", {"ogv"}, "-c:v libtheora -q:v 9 -g 12");
    t.encode("prores", {"mov", "mkv"}, "-c:v prores_ks -profile:v 3 -pix_fmt yuv422p10le");
    t.encode("prores4444", {"mov"}, "-c:v prores_ks -profile:v 4 -pix_fmt yuva444p10le");
    t.encode("mjpeg", {"avi", "mov", "mkv"}, "-c:v mjpeg -q:v 2 -pix_fmt yuvj420p");
    t.encode("ffv1", {"mkv", "avi"}, "-c:v ffv1 -level 3 -g 1 -pix_fmt yuv420p");
    t.encode("ffv1deep", {"mkv"}, "-c:v ffv1 -level 3 -pix_fmt yuv444p16le");
    t.encode("ffv1rgb", {"mkv"}, "-c:v ffv1 -pix_fmt bgr0");
    t.encode("huffyuv", {"avi"}, "-c:v huffyuv -pix_fmt yuv422p");
    t.encode("utvideo", {"avi"}, "-c:v utvideo -pix_fmt gbrp");
    t.encode("png", {"mov", "mkv", "avi"}, "-c:v png");
    t.encode("qtrle", {"mov"}, "-c:v qtrle");
    t.encode("raw", {"avi", "nut", "mov"}, "-c:v rawvideo -pix_fmt bgr24");
    t.encode("rawyuv", {"nut", "y4m"}, "-pix_fmt yuv420p");
    t.encode("p010", {"nut"}, "-c:v rawvideo -pix_fmt p010le");
    t.encode("uyvy", {"avi", "mov"}, "-c:v rawvideo -pix_fmt uyvy422");
    t.encode("cinepak", {"avi", "mov"}, "-vf scale=160:96:flags=neighbor -c:v cinepak -q:v 1");
    t.encode("msmpeg4", {"avi", "asf"}, "-c:v msmpeg4 -q:v 2 -g 12");
    t.encode("wmv2", {"wmv", "avi"}, "-c:v wmv2 -q:v 2 -g 12");
    t.encode("flv1", {"flv"}, "-c:v flv1 -q:v 2 -g 12");
    t.encode("svq1", {"mov"}, "-c:v svq1 -q:v 2 -g 12");
    t.encode("jpeg2000", {"mov", "mxf"}, "-c:v jpeg2000 -q:v 2");
    t.encode("magicyuv", {"avi"}, "-c:v magicyuv -pix_fmt gbrp");
    t.encode("snow", {"avi"}, "-c:v snow -q:v 2 -g 12");
    t.encode("dirac", {"mkv"}, "-c:v vc2 -pix_fmt yuv422p -strict -1");
    t.encode("cfhd", {"mov"}, "-c:v cfhd -pix_fmt yuv422p10le -vf scale=160:96");
    t.cases.back().colours = false;
    t.encode("dnxhr", {"mov", "mxf"},
             "-vf scale=320:180:flags=neighbor -c:v dnxhd -profile:v dnxhr_hq -pix_fmt yuv422p");
    t.encode("dv", {"dv", "avi", "mov"}, "-vf scale=720:576:flags=neighbor,setsar=16/15 -c:v dvvideo -pix_fmt yuv420p");
}

void addStamps(Table& t) {
    // Presentation times equal to decode times, as broken muxers write them.
    for (const std::string& e :
         {std::string("mp4"), std::string("mkv"), std::string("mov"), std::string("ts"), std::string("nut")})
        t.restamp("h264ptsdts", e, h264, "pts=DTS");
    t.restamp("h265ptsdts", "mp4", h265, "pts=DTS");
    t.restamp("mpeg4ptsdts", "mp4", mpeg4, "pts=DTS");
    t.restamp("mpeg2ptsdts", "mkv", mpeg2, "pts=DTS");
    for (const std::string& e : {std::string("mkv"), std::string("mp4"), std::string("mov")})
        for (const Coded& k : {Coded{"h264", "", h264}, Coded{"mpeg4", "", mpeg4}})
            t.add(k.title + "fromavi", e,
                  "ffmpeg $RAW " + k.coding + " $DIR/a.avi && ffmpeg -fflags +genpts -i $DIR/a.avi -c copy $OUT");
    t.restamp("h264twins", "mkv", h264, "pts='if(eq(N\\,7)\\,PTS-40\\,PTS)':dts=DTS");
    t.restamp("h264shifted", "mkv", h264, "pts=PTS+5000:dts=DTS+5000", "-avoid_negative_ts disabled");
    t.restamp("h264shifted", "mp4", h264, "pts=PTS+5000:dts=DTS+5000", "-avoid_negative_ts disabled");
    t.restamp("h264negative", "mp4", h264, "pts=PTS-400:dts=DTS-400", "-avoid_negative_ts disabled");
    t.restamp("h264negative", "mkv", h264, "pts=PTS-400:dts=DTS-400", "-avoid_negative_ts disabled");
    t.add("h264negoffset", "mov",
          "ffmpeg $RAW " + h264 +
              " -movflags negative_cts_offsets -output_ts_offset -0.3 -avoid_negative_ts disabled $OUT");
    t.add("h264wrap", "ts", "ffmpeg $RAW " + h264 + " -output_ts_offset 95442.9 $OUT");  // 33-bit stamps start anew
    t.add("mpeg2wrap", "ts", "ffmpeg $RAW " + mpeg2 + " -output_ts_offset 95442.9 $OUT");
    t.add("editstart", "mp4", "ffmpeg $RAW " + h264 + " $DIR/a.mp4 && ffmpeg -ss 0.6 -i $DIR/a.mp4 -c copy $OUT");
    t.add("editstart", "mov", "ffmpeg $RAW " + h265 + " $DIR/a.mov && ffmpeg -ss 0.92 -i $DIR/a.mov -c copy $OUT");
    t.add("trimmed", "mkv", "ffmpeg $RAW " + h264 + " $DIR/a.mkv && ffmpeg -ss 0.92 -i $DIR/a.mkv -c copy $OUT");
    // Two streams, one after the other.
    for (const auto& [title, ending, coding] :
         {Coded{"joinedh264", "ts", h264}, Coded{"joinedh264", "h264", h264}, Coded{"joinedmpeg2", "mpg", mpeg2},
          Coded{"joinedmpeg2", "m2v", mpeg2}, Coded{"joinedh265", "hevc", h265}, Coded{"joinedmpeg2", "ts", mpeg2}})
        t.add(title, ending,
              std::string("ffmpeg $RAW -frames:v 24 ") + coding + " $DIR/a." + ending +
                  " && ffmpeg $RAW -vf trim=start_frame=24 " + coding + " $DIR/b." + ending + " && cat $DIR/a." +
                  ending + " $DIR/b." + ending + " > $OUT");
    // Cut out of the middle: the file begins and ends anywhere.
    for (const auto& [title, ending, coding] :
         {Coded{"cuth264", "ts", h264}, Coded{"cuth264", "h264", h264}, Coded{"cutmpeg2", "mpg", mpeg2},
          Coded{"cutmpeg2", "vob", mpeg2}, Coded{"cutmpeg2", "ts", mpeg2}, Coded{"cutmpeg2", "m2v", mpeg2},
          Coded{"cuth265", "ts", h265}, Coded{"cuth265", "hevc", h265}, Coded{"cuth264", "m2ts", h264}})
        for (const char* part : {"4", "7"}) {
            MovieCase& c = t.add(std::string(title) + part, ending,
                                 std::string("ffmpeg $RAW ") + coding + " $DIR/a." + ending +
                                     " && S=$(stat -c %s $DIR/a." + ending + ") && tail -c +$((S*" + part +
                                     "/17)) $DIR/a." + ending + " | head -c $((S*9/17)) > $OUT");
            c.damaged = true;
            c.colours = false;
        }
    MovieCase& c = t.add(
        "attachment", "mkv",
        "ffmpeg $RAW " + h264 + " -metadata:s:v:0 language=eng -attach $RAWFILE -metadata:s:t mimetype=image/png $OUT");
    c.colours = true;
    t.add("cover", "mp4",
          "ffmpeg $RAW " + h264 +
              " $DIR/a.mp4 && ffmpeg $RAW -frames:v 1 $DIR/c.png && ffmpeg -i $DIR/c.png -i $DIR/a.mp4 -map 0 -map 1 "
              "-c copy "
              "-disposition:v:0 attached_pic $OUT")
        .filter = "MAPV";
    t.add("twostreams", "mkv",
          "ffmpeg $RAW $RAW -map 0 -map 1 -s:v:0 80x46 -c:v libx264 -g 12 -bf 2 -crf 16 -pix_fmt yuv420p $OUT")
        .filter = "MAP1";
    t.add("sound", "mov", "ffmpeg -f lavfi -i sine=d=2 $RAW -map 0 -map 1 -c:a aac " + h264 + " $OUT");
}

void addRates(Table& t) {
    for (const char* rate : {"24000/1001", "24/1", "30000/1001", "50/1", "60000/1001", "120000/1001", "12/1", "240/1"})
        for (const char* ending : {"mp4", "mkv", "webm", "avi", "ts"}) {
            const std::string e = ending;
            const bool slow = std::string(rate) == "12/1" || std::string(rate) == "240/1";
            if (slow && e != "mkv" && e != "mp4") continue;
            const std::string coding = e == "webm" ? "-c:v libvpx -b:v 3M -deadline realtime -cpu-used 8" : h264;
            MovieCase& c = t.add("rate" + std::string(rate), e,
                                 "ffmpeg -r " + std::string(rate) + " $RAWAT -r " + rate + " " + coding + " $OUT");
            c.rate = parseRational(rate);
            c.colours = false;
        }
}

void addColours(Table& t) {
    const auto tagged = [&](const std::string& title, const std::string& matrix, const std::string& range,
                            const std::string& ending, const std::string& coding) {
        t.add(title, ending,
              "ffmpeg $RAW -vf scale=out_color_matrix=" + matrix + ":out_range=" + range + " -colorspace " +
                  (matrix == "bt601"    ? "smpte170m"
                   : matrix == "bt2020" ? "bt2020nc"
                                        : matrix) +
                  " -color_range " + range + " " + coding + " $OUT");
    };
    for (const char* matrix : {"bt601", "bt709", "bt2020"})
        for (const char* range : {"tv", "pc"}) {
            const std::string title = std::string("colour") + matrix + range;
            tagged(title, matrix, range, "mp4", "-c:v libx264 -pix_fmt yuv420p -crf 12 -g 12");
            tagged(title, matrix, range, "mkv",
                   "-c:v libx265 -preset veryfast -pix_fmt yuv420p10le -crf 12 -x265-params log-level=none");
        }
    t.add("untaggedhd", "mp4",
          "ffmpeg $RAW -vf scale=1280:720:flags=neighbor -c:v libx264 -preset ultrafast -crf 12 -pix_fmt yuv420p $OUT")
        .filter = "scale=in_color_matrix=bt709,";
    for (const char* rotation : {"90", "180", "270"})
        t.add(std::string("turned") + rotation, "mp4",
              std::string("ffmpeg $RAW -c:v libx264 -pix_fmt yuv444p -crf 4 $DIR/a.mp4 && ffmpeg -i $DIR/a.mp4 -c copy "
                          "-metadata:s:v rotate=") +
                  rotation + " $OUT")
            .turned = std::atoi(rotation);
    t.add("anamorphic", "mov", "ffmpeg $RAW -vf setsar=4/3 " + h264 + " $OUT");
}

void addDamage(Table& t) {
    for (const auto& [title, ending, coding] :
         {Coded{"h264", "mp4", h264}, Coded{"h264", "mkv", h264}, Coded{"h264", "ts", h264}, Coded{"h265", "mp4", h265},
          Coded{"mpeg2", "mpg", mpeg2}, Coded{"mpeg4", "avi", mpeg4}, Coded{"mpeg2", "ts", mpeg2},
          Coded{"mjpeg", "avi", std::string("-c:v mjpeg -q:v 2")},
          Coded{"prores", "mov", std::string("-c:v prores_ks")}, Coded{"png", "mov", std::string("-c:v png")},
          Coded{"ffv1", "mkv", std::string("-c:v ffv1 -level 3 -g 1")}}) {
        MovieCase& c = t.add(std::string("damaged") + title, ending,
                             std::string("ffmpeg $RAW ") + coding + " $DIR/a." + ending + " && cp $DIR/a." + ending +
                                 " $OUT && S=$(stat -c %s $OUT) && " +
                                 "head -c 40 /dev/zero | tr '\\0' '\\125' | dd of=$OUT bs=1 seek=$((S*45/100)) "
                                 "conv=notrunc 2>/dev/null");
        c.damaged = true;
        c.colours = false;
    }
    for (const char* ending : {"mkv", "avi", "ts", "mpg", "h264", "flv"}) {
        MovieCase& c =
            t.add("cutend", ending,
                  std::string("ffmpeg $RAW ") + (std::string(ending) == "mpg" ? mpeg2 : h264) + " $DIR/a." + ending +
                      " && S=$(stat -c %s $DIR/a." + ending + ") && head -c $((S*3/5)) $DIR/a." + ending + " > $OUT");
        c.damaged = true;
        c.colours = false;
    }
}

}  // namespace

std::vector<MovieCase> movieCases() {
    Table t;
    addCodecs(t);
    addStamps(t);
    addRates(t);
    addColours(t);
    addDamage(t);
    return t.cases;
}

}  // namespace va
