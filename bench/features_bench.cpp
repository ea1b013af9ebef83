// SPDX-License-Identifier: GPL-3.0-or-later
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QAction>
#include <QApplication>
#include <QElapsedTimer>
#include <QTableView>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>
#include <random>

#include "drawer/drawer.h"
#include "main_window/main_window.h"
#include "media/plate_source.h"
#include "pictures.h"
#include "plate_view/plate_canvas.h"
#include "precision.h"
#include "style/theme.h"
#include "table.h"
#include "track/find_features.h"
#include "track/track.h"
#include "warp.h"
#include "workflow/match_shot.h"
#include "workflow/track_shot.h"

namespace va::bench {
namespace {

struct Survival {
    double ours = 0, theirs = 0;
    int features = 0;
};

/// Share of the features of the first frame that end within 1.5 px of the truth in the last.
Survival survival(const std::function<Luma(int)>& make, int frames,
                  const std::function<Eigen::Vector2d(int, const Eigen::Vector2d&)>& truth) {
    std::vector<Luma> made;
    for (int i = 0; i < frames; ++i) made.push_back(make(i));
    const auto read = [&](int f) -> const Luma& { return made[size_t(f)]; };
    Survival out;
    Progress progress;
    TrackRequest request;
    for (int i = 0; i < frames; ++i) request.frames.push_back(i);
    request.read = [&](int f) { return made[size_t(f)]; };
    request.options.features = 200;
    request.options.radius = 10;
    request.options.shortestPath = 1;
    request.options.refillEvery = 1000;
    const auto paths = trackFeatures(std::move(request), progress);
    std::vector<cv::Point2f> start;
    int kept = 0;
    for (const Path& p : paths) {
        if (p.points.front().frame != 0) continue;
        const Eigen::Vector2d from(p.points.front().x, p.points.front().y), to = truth(frames - 1, from);
        if (to.x() < 30 || to.y() < 30 || to.x() > read(0).width - 31 || to.y() > read(0).height - 31) continue;
        start.emplace_back(float(from.x()), float(from.y()));
        const PathPoint* last = p.at(frames - 1);
        kept += last && (Eigen::Vector2d(last->x, last->y) - to).norm() < 1.5;
    }
    std::vector<cv::Point2f> at = start, next;
    std::vector<char> alive(start.size(), 1);
    cv::Mat before = bytes(read(0));
    for (int f = 1; f < frames; ++f) {
        const cv::Mat now = bytes(read(f));
        std::vector<uchar> status;
        std::vector<float> error;
        cv::calcOpticalFlowPyrLK(before, now, at, next, status, error, cv::Size(21, 21), 3);
        for (size_t i = 0; i < at.size(); ++i) alive[i] = alive[i] && status[i];
        at = next;
        before = now;
    }
    int theirs = 0;
    for (size_t i = 0; i < at.size(); ++i) {
        const Eigen::Vector2d to = truth(frames - 1, {double(start[i].x), double(start[i].y)});
        theirs += alive[i] && std::hypot(double(at[i].x) - to.x(), double(at[i].y) - to.y()) < 1.5;
    }
    out.features = int(start.size());
    out.ours = double(kept) / std::max(1, out.features);
    out.theirs = double(theirs) / std::max(1, out.features);
    return out;
}

void measureSurvival(Table& table) {
    const Luma photo = test::loadPhoto("aloeL.jpg");
    const auto place = [](int f) { return Eigen::Vector2d(1.3 * f, -0.7 * f); };
    const auto plain = [&](int f) {
        return test::warped(
            photo, 800, 600,
            [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return p - place(f) + Eigen::Vector2d(200, 220); }, 2,
            unsigned(f + 1));
    };
    const auto truth = [&](int f, const Eigen::Vector2d& p) -> Eigen::Vector2d { return p + place(f); };
    const auto report = [&](const char* name, const Survival& s, const char* what) {
        char note[200];
        std::snprintf(note, sizeof note, "%s: %.0f %% against %.0f %% of %d features", what, s.ours * 100,
                      s.theirs * 100, s.features);
        table.push_back({name, s.ours, "share", ">= 0.9", note});
    };
    const int frames = 30;
    report("survive_flicker",
           survival(
               [&](int f) {
                   Luma l = plain(f);
                   const float gain = f % 2 ? 1.2f : 0.8f;
                   for (float& v : l.data) v = std::min(255.0f, v * gain);
                   return l;
               },
               frames, truth),
           "brightness up and down by 20 % from frame to frame");
    report("survive_light",
           survival(
               [&](int f) {
                   Luma l = plain(f);
                   for (int y = 0; y < l.height; ++y)
                       for (int x = 0; x < l.width; ++x) {
                           // The light goes over the picture from left to right.
                           const float t = float(f) / frames, side = float(x) / float(l.width);
                           l.at(x, y) = l.at(x, y) * (1 - 0.55f * t * side) + 20 * t;
                       }
                   return l;
               },
               frames, truth),
           "light changing over the picture and the shot");
    // Jolts: three frames out of ten are smeared over 15 px of the 20 that the camera goes from frame to frame.
    const auto jolted = [&](int f) {
        Eigen::Vector2d at = place(f);
        for (int j : {8, 18}) at += Eigen::Vector2d(55, 24) * std::clamp((f - j + 0.0) / 3, 0.0, 1.0);
        return at;
    };
    const auto blurred = [&](int f) {
        const bool smear = (f >= 9 && f <= 11) || (f >= 19 && f <= 21);
        const int samples = smear ? 15 : 1;
        Luma sum(800, 600);
        for (int k = 0; k < samples; ++k) {
            const double t = samples > 1 ? (k + 0.5) / samples - 0.5 : 0;
            const Eigen::Vector2d by = jolted(f) + t * 15 * Eigen::Vector2d(55, 24).normalized();
            const Luma one = test::warped(
                photo, 800, 600,
                [&](const Eigen::Vector2d& p) -> Eigen::Vector2d { return p - by + Eigen::Vector2d(200, 220); }, 0, 1);
            for (size_t i = 0; i < sum.data.size(); ++i) sum.data[i] += one.data[i] / float(samples);
        }
        std::mt19937 random(unsigned(f + 1));
        std::normal_distribution<float> noise(0, 2);
        for (float& v : sum.data) v += noise(random);
        return sum;
    };
    report("survive_blur",
           survival(blurred, frames,
                    [&](int f, const Eigen::Vector2d& p) -> Eigen::Vector2d { return p + jolted(f) - jolted(0); }),
           "jolts with 15 px of motion blur");
}

double trackSeconds(const std::string& clip, double* perFrame = nullptr) {
    Shot s = withPlate(Shot(), clip);
    if (s.range.count() > 200) s.range.last = s.range.first + 199;
    Progress progress;
    const auto start = std::chrono::steady_clock::now();
    s = withPaths(s, progress);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    size_t points = 0;
    for (const Path& p : *s.paths) points += p.points.size();
    if (perFrame) *perFrame = double(points) / double(s.frames().size());
    return seconds;
}

void measureSpeed(Table& table) {
    char note[200];
    double live = 0;
    const std::string clip = clip1080p(200);
    double seconds = 1e9;
    for (int i = 0; i < 2; ++i) seconds = std::min(seconds, trackSeconds(clip, &live));
    std::snprintf(note, sizeof note,
                  "decode and track 200 frames of 1080p H.264: %.1f frames a second, %.0f live features", 200 / seconds,
                  live);
    table.push_back({"follow_1080p_fps", 200 / seconds, "fps", ">= 24", note});
    table.push_back({"follow_vs_playing_1080p", seconds / (200.0 / 25), "ratio", "<= 1.04",
                     "the same against playing time at 25 fps"});

    const std::string big = clip4k();
    int pipes[2];
    if (pipe(pipes) != 0) return;
    const pid_t child = fork();
    if (child == 0) {
        const double s = trackSeconds(big);
        _exit(write(pipes[1], &s, sizeof s) == sizeof s ? 0 : 1);
    }
    int status = 0;
    rusage usage{};
    wait4(child, &status, 0, &usage);
    double s = 0;
    if (read(pipes[0], &s, sizeof s) != sizeof s) s = 1e9;
    close(pipes[0]);
    close(pipes[1]);
    table.push_back({"follow_4k_fps", 48 / s, "fps", ">= 6", "decode and track 48 frames of 3840 × 2160"});
    table.push_back({"follow_4k_memory_mb", double(usage.ru_maxrss) / 1024, "MB", "<= 3000", "peak of that process"});
}

void measureThousands(Table& table) {
    // 5000 paths of 300 frames over the demo plate, in a made-up motion.
    const std::string clip = std::string(VA_SOURCE_DIR) + "/demo/data/slipway/slipway.mp4";
    MainWindow window;
    window.show();
    window.resize(1700, 1000);
    window.openPath(QString::fromStdString(clip));
    Shot s = window.document().shot();
    auto paths = std::make_shared<std::vector<Path>>();
    std::mt19937 random(3);
    std::uniform_real_distribution<double> x(100, 1180), y(60, 660);
    for (int k = 0; k < 5000; ++k) {
        Path p;
        p.id = k + 1;
        p.referenceFrame = 1001;
        const double x0 = x(random), y0 = y(random);
        for (int f = 0; f < 300; ++f) {
            PathPoint q;
            q.frame = 1001 + f;
            q.x = x0 + 40 * std::sin(0.05 * f + k);
            q.y = y0 + 20 * std::cos(0.04 * f + k);
            q.quality = float(0.9 + 0.1 * std::sin(k));
            p.points.push_back(q);
        }
        paths->push_back(std::move(p));
    }
    s.paths = paths;
    window.document().edit("paths", s);
    window.action("plateOnly")->trigger();
    auto* plate = window.findChild<PlateCanvas*>();
    QElapsedTimer clock;
    clock.start();
    while (clock.elapsed() < 20000 && !(plate->pictureReady(1001) && plate->pictureReady(1060)))
        QApplication::processEvents(QEventLoop::WaitForMoreEvents | QEventLoop::AllEvents, 5);
    int painted = 0;
    clock.restart();
    for (int f = 1001; f <= 1060; ++f, ++painted) {
        window.document().setFrame(f);
        plate->repaint();
        QApplication::processEvents();
    }
    char note[160];
    std::snprintf(note, sizeof note, "5000 paths of 300 frames with tails, whole window, plate %d × %d", plate->width(),
                  plate->height());
    table.push_back({"playback_5000_paths_fps", painted / (double(clock.nsecsElapsed()) * 1e-9), "fps", ">= 25", note});
    auto* drawer = window.findChild<Drawer*>();
    double slowest = 0;
    for (int column : {FeatureModel::length, FeatureModel::quality, FeatureModel::note, FeatureModel::name}) {
        clock.restart();
        drawer->table()->sortByColumn(column, Qt::DescendingOrder);
        QApplication::processEvents();
        slowest = std::max(slowest, double(clock.nsecsElapsed()) * 1e-6);
    }
    table.push_back({"table_sort_5000_ms", slowest, "ms", "<= 100", "slowest of four columns, with repainting"});
    window.document().undoStack().setClean();
}

void measureBound(Table& table) {
    const auto shift = [](double t) -> Eigen::Matrix3d {
        Eigen::Matrix3d m = Eigen::Matrix3d::Identity();
        m(0, 2) = 33.3 * t;
        m(1, 2) = -17.7 * t;
        return m;
    };
    const auto tilt = [](double t) -> Eigen::Matrix3d {
        Eigen::Matrix3d m = Eigen::Matrix3d::Identity();
        m(2, 0) = 1.5e-4 * t;
        m(2, 1) = -1e-4 * t;
        return m;
    };
    for (const auto& [name, move] :
         {std::pair<const char*, std::function<Eigen::Matrix3d(double)>>("precision_shift_vs_bound", shift),
          {"precision_tilt_vs_bound", tilt}}) {
        const test::Precision p = test::measurePrecision("aloeL.jpg", move);
        char note[200];
        std::snprintf(
            note, sizeof note,
            "frame 60 under noise of 2 levels: %.4f px over %d features, %d lost; normalised error squared %.2f",
            p.rmsPx, p.started, p.lost, p.normalised);
        table.push_back({name, p.ratio, "ratio", "<= 1.4", note});
    }
}

}  // namespace

void measureFeatures(Table& table) {
    applyTheme(*qApp);
    measureSpeed(table);
    measureSurvival(table);
    measureBound(table);
    measureThousands(table);
}

}  // namespace va::bench
