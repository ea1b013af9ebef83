// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/photo_edits.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "lens/film_back.h"
#include "workflow/ground_work.h"
#include "workflow/photo_work.h"
#include "workflow/still_work.h"

namespace va {

bool PhotoEdits::available() const {
    const Shot& s = document_.shot();
    if (!s.hasPlate()) return false;
    return s.frames().size() == 1 || s.solve->motion == Motion::still || !s.solve->has() ||
           s.solve->motion == Motion::lockedOff;
}

void PhotoEdits::setAxis(PhotoAxis axis) {
    axis_ = axis;
    placing_ = false;
    Q_EMIT changed();
}

void PhotoEdits::setPlacing(bool on) {
    placing_ = on;
    Q_EMIT changed();
}

int PhotoEdits::spot() const {
    const int count = int(document_.shot().photo.spots.size());
    return spot_ < count ? spot_ : count - 1;
}

void PhotoEdits::chooseSpot(int index) {
    spot_ = index;
    Q_EMIT changed();
}

void PhotoEdits::apply(const QString& name, const PhotoMatch& photo, const QString& merge) {
    Shot next = document_.shot();
    // The first mark decides which frame is matched.
    const bool first = next.photo.empty() || next.solve->motion != Motion::still;
    if (first) next = withMetadataFocal(next);
    const int frame = next.photo.empty() ? document_.frame() : next.photo.frame;
    next.photo = photo;
    next.photo.frame = frame;
    apply(name, std::move(next), merge);
}

void PhotoEdits::apply(const QString& name, Shot next, const QString& merge) {
    document_.edit(name, withPhotoMatched(next), merge);
    Q_EMIT changed();
}

void PhotoEdits::addLine(const Eigen::Vector2d& a, const Eigen::Vector2d& b, bool free) {
    PictureLine line{document_.frame(), a, b};
    if (!free) {
        try {
            line = lineAlongEdge(document_.shot(), line);
        } catch (const InputError& e) {
            return Q_EMIT document_.troubled(QString::fromUtf8(e.what()));
        }
    }
    PhotoMatch photo = document_.shot().photo;
    photo.lines.push_back({line.a, line.b, axis_, 0.5, true});
    const QString words[] = {tr("Draw a line along X"), tr("Draw an upright line"), tr("Draw a line along Z")};
    apply(words[size_t(axis_)], photo);
}

void PhotoEdits::addSpot(const Eigen::Vector2d& pixel) {
    PhotoMatch photo = document_.shot().photo;
    PhotoSpot s;
    s.pixel = pixel;
    s.name = tr("P%1").arg(photo.spots.size() + 1).toStdString();
    photo.spots.push_back(s);
    spot_ = int(photo.spots.size()) - 1;
    placing_ = false;
    apply(tr("Mark a known point"), photo);
}

void PhotoEdits::addRectangle() {
    const PlateInfo& p = document_.shot().plate;
    PhotoMatch photo = document_.shot().photo;
    PhotoQuad q;
    q.sigma = 2;  // px, of what is dragged to where a floor seems to lie
    const auto at = [&](double x, double y) { return Eigen::Vector2d(x * p.width, y * p.height); };
    q.corners = {at(0.25, 0.88), at(0.75, 0.88), at(0.62, 0.66), at(0.38, 0.66)};
    if (const auto camera = document_.shot().cameraAt(document_.frame())) {
        // A square on the floor as it is known so far.
        const auto ground = [&](const Eigen::Vector2d& pixel) -> std::optional<Eigen::Vector3d> {
            const auto ray = camera->ray(pixel);
            if (!ray || ray->direction.y() > -1e-3) return std::nullopt;
            return ray->at(-ray->origin.y() / ray->direction.y());
        };
        const auto near = ground(q.corners[0]), right = ground(q.corners[1]);
        if (near && right) {
            const Eigen::Vector3d side = *right - *near, away(side.z(), 0, -side.x());
            const auto far = camera->project(*right + away), left = camera->project(*near + away);
            if (far && left) q.corners[2] = *far, q.corners[3] = *left;
        }
    }
    photo.quad = q;
    apply(tr("Put a rectangle on the ground"), photo);
}

void PhotoEdits::addHorizon() {
    const PlateInfo& p = document_.shot().plate;
    PhotoMatch photo = document_.shot().photo;
    PictureLine line{document_.frame(), {0.1 * p.width, 0.4 * p.height}, {0.9 * p.width, 0.4 * p.height}};
    if (const auto camera = document_.shot().cameraAt(document_.frame())) {
        // Where it is by what is known so far.
        const Eigen::Vector3d ahead = camera->pose().worldFromCamera * -Eigen::Vector3d::UnitZ();
        const Eigen::Vector3d level = Eigen::Vector3d(ahead.x(), 0, ahead.z()).normalized(),
                              side(level.z(), 0, -level.x());
        const auto left = camera->project(camera->pose().position + 1e4 * (level + 0.3 * side)),
                   right = camera->project(camera->pose().position + 1e4 * (level - 0.3 * side));
        if (left && right) line.a = *left, line.b = *right;
        if (line.a.x() > line.b.x()) std::swap(line.a, line.b);
    }
    photo.horizon = line;
    apply(tr("Draw the horizon"), photo);
}

void PhotoEdits::remove(const PhotoHandle& h) {
    PhotoMatch photo = document_.shot().photo;
    using Kind = PhotoHandle::Kind;
    switch (h.kind) {
        case Kind::none: return;
        case Kind::line:
        case Kind::lineEnd:
            if (h.index >= photo.lines.size()) return;
            photo.lines.erase(photo.lines.begin() + std::ptrdiff_t(h.index));
            return apply(tr("Remove a line"), photo);
        case Kind::corner: photo.quad.reset(); return apply(tr("Remove the rectangle"), photo);
        case Kind::horizon:
        case Kind::horizonEnd: photo.horizon.reset(); return apply(tr("Remove the horizon"), photo);
        case Kind::spot:
            if (h.index >= photo.spots.size()) return;
            photo.spots.erase(photo.spots.begin() + std::ptrdiff_t(h.index));
            return apply(tr("Remove a known point"), photo);
    }
}

void PhotoEdits::clearFoundLines() {
    PhotoMatch photo = document_.shot().photo;
    if (std::erase_if(photo.lines, [](const PhotoLine& l) { return !l.drawn; }) > 0)
        apply(tr("Remove the lines that were found"), photo);
}

void PhotoEdits::clear() {
    PhotoMatch photo;
    photo.frame = document_.shot().photo.frame;
    apply(tr("Remove all of the photo match"), photo);
}

void PhotoEdits::drag(const PhotoHandle& h, const Eigen::Vector2d& by) {
    PhotoMatch photo = document_.shot().photo;
    using Kind = PhotoHandle::Kind;
    switch (h.kind) {
        case Kind::none: return;
        case Kind::line:
            // A line that the artist moved is the artist's.
            photo.lines[h.index].a += by, photo.lines[h.index].b += by;
            photo.lines[h.index].drawn = true;
            break;
        case Kind::lineEnd:
            (h.end == 0 ? photo.lines[h.index].a : photo.lines[h.index].b) += by;
            photo.lines[h.index].drawn = true;
            break;
        case Kind::corner: photo.quad->corners[h.index] += by; break;
        case Kind::horizon: photo.horizon->a += by, photo.horizon->b += by; break;
        case Kind::horizonEnd: (h.end == 0 ? photo.horizon->a : photo.horizon->b) += by; break;
        case Kind::spot: photo.spots[h.index].pixel += by; break;
    }
    apply(tr("Move a mark of the photo match"), photo, QStringLiteral("photo-drag-%1").arg(drag_));
}

void PhotoEdits::endDrag() {
    if (stillRequests(document_.shot()).empty() || document_.job().running()) return;
    document_.startJob(tr("Join the reference stills"), Part::solve,
                       [](const Shot& s, Progress& progress, Shot&) { return withPhotoMatched(s, progress); });
}

void PhotoEdits::setRectangleSides(double width, double depth) {
    PhotoMatch photo = document_.shot().photo;
    if (!photo.quad) return;
    if (width < 0 || depth < 0) return Q_EMIT document_.troubled(tr("A side can't be negative; 0 = not known."));
    photo.quad->width = width;
    photo.quad->depth = depth;
    apply(tr("Set the rectangle's sides"), photo);
}

void PhotoEdits::setCameraHeight(double metres) {
    if (metres < 0) return Q_EMIT document_.troubled(tr("The camera's height can't be negative; 0 = not known."));
    PhotoMatch photo = document_.shot().photo;
    photo.cameraHeight = metres;
    apply(tr("Set the camera's height"), photo);
}

void PhotoEdits::setSpotPosition(int index, const Eigen::Vector3d& position) {
    PhotoMatch photo = document_.shot().photo;
    if (index < 0 || size_t(index) >= photo.spots.size()) return;
    photo.spots[size_t(index)].position = position;
    apply(tr("Set a known point's position"), photo);
}

void PhotoEdits::setFocalByEye(double focalPx) {
    if (!(focalPx > 0)) return Q_EMIT document_.troubled(tr("The focal length must be greater than 0."));
    Shot next = document_.shot();
    if (const auto quad = quadAtFocal(photoEvidenceOf(next), focalPx)) next.photo.quad = quad;
    next.priors.focal = Known::known;
    next.priors.focalMm = focalMmFromPx(focalPx, next.priors.sensorWidthMm, next.plate.width, next.pixelAspect());
    if (next.photo.empty()) return document_.edit(tr("Set the focal length"), next, QStringLiteral("photo-focal"));
    apply(tr("Set the focal length by eye"), std::move(next), QStringLiteral("photo-focal"));
}

void PhotoEdits::releaseFocal() {
    Shot next = document_.shot();
    next.priors.focal = Known::unknown;
    apply(tr("Let the focal length be fitted"), withMetadataFocal(next), {});
}

void PhotoEdits::findLines() {
    document_.startJob(tr("Look for lines"), Part::solve,
                       [frame = document_.frame()](const Shot& s, Progress& progress, Shot&) {
                           return withPhotoMatched(withPhotoLines(withMetadataFocal(s), frame, progress), progress);
                       });
}

void PhotoEdits::matchFrame() {
    document_.startJob(tr("Match the frame as a photo"), Parts(Part::solve) | Part::paths | Part::stills,
                       [frame = document_.frame()](const Shot& s, Progress& progress, Shot&) {
                           Shot fresh = s;
                           if (fresh.photo.frame != frame) fresh.photo = {};
                           return matchedPhoto(fresh, frame, progress);
                       });
}

}  // namespace va
