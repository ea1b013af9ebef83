// SPDX-License-Identifier: GPL-3.0-or-later
#include "plate_view/tools/marks_tool.h"

#include "document/proof_edits.h"
#include "plate_view/plate_canvas.h"
#include "style/theme.h"

namespace va {
namespace {

void drawDot(QPainter& painter, const QPointF& at) {
    painter.setPen(QPen(QColor(0, 0, 0, 170), 3));
    painter.setBrush(Qt::NoBrush);
    painter.drawEllipse(at, 5, 5);
    painter.setPen(QPen(Theme::current().accent, 1.6));
    painter.drawEllipse(at, 5, 5);
}

void drawLine(QPainter& painter, const QPointF& from, const QPointF& to) {
    painter.setPen(QPen(QColor(0, 0, 0, 150), 3));
    painter.drawLine(from, to);
    painter.setPen(QPen(Theme::current().accent, 1.6, Qt::DashLine));
    painter.drawLine(from, to);
}

}  // namespace

bool MarksTool::press(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || !document_.shot().hasPlate()) return false;
    // Marks of several frames don't belong together.
    if (frame_ != document_.frame()) marks_.clear();
    frame_ = document_.frame();
    marks_.push_back(inPicture(event->position()));
    if (marks_.size() == hints_.size()) {
        const std::vector<Eigen::Vector2d> all = std::move(marks_);
        marks_.clear();
        marked(all);
    }
    canvas_.update();
    return true;
}

bool MarksTool::move(QMouseEvent* event) {
    pointer_ = event->position();
    if (!marks_.empty()) canvas_.update();
    return false;
}

void MarksTool::paint(QPainter& painter) {
    for (size_t i = 0; i < marks_.size(); ++i) drawDot(painter, onScreen(marks_[i]));
    if (!marks_.empty()) drawLine(painter, onScreen(marks_.front()), pointer_);
}

PostTool::PostTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
    : MarksTool(canvas, document, edits,
                {QObject::tr("Click the foot of something upright that throws a shadow"),
                 QObject::tr("Click its top, straight above the foot"),
                 QObject::tr("Click the tip of its shadow, where the top's shadow falls on the ground")}) {}

void PostTool::marked(const std::vector<Eigen::Vector2d>& marks) {
    if (canvas_.proofEdits()) canvas_.proofEdits()->addPost({document_.frame(), marks[0], marks[1], marks[2]});
}

void PostTool::paint(QPainter& painter) {
    for (const ShadowPost& p : document_.shot().proof.posts) {
        if (p.frame != document_.frame()) continue;
        drawLine(painter, onScreen(p.foot), onScreen(p.top));
        drawLine(painter, onScreen(p.foot), onScreen(p.tip));
        for (const auto& at : {p.foot, p.top, p.tip}) drawDot(painter, onScreen(at));
    }
    MarksTool::paint(painter);
}

ShadowTool::ShadowTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
    : MarksTool(canvas, document, edits,
                {QObject::tr("Click a spot of the ground in full light"),
                 QObject::tr("Click a spot of the same ground in shadow")}) {}

void ShadowTool::marked(const std::vector<Eigen::Vector2d>& marks) {
    if (canvas_.proofEdits()) canvas_.proofEdits()->measureShadow(marks[0], marks[1]);
}

GreyTool::GreyTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
    : MarksTool(canvas, document, edits, {QObject::tr("Click something grey that the sun does not reach")}) {}

void GreyTool::marked(const std::vector<Eigen::Vector2d>& marks) {
    if (canvas_.proofEdits()) canvas_.proofEdits()->pickSkyColour(marks[0]);
}

HazeTool::HazeTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
    : MarksTool(canvas, document, edits,
                {QObject::tr("Click a dark spot near by, as on the ground or beside a feature"),
                 QObject::tr("Click a spot as dark by itself, far away")}) {}

void HazeTool::marked(const std::vector<Eigen::Vector2d>& marks) {
    if (canvas_.proofEdits()) canvas_.proofEdits()->measureHaze(marks[0], marks[1]);
}

SkySpotTool::SkySpotTool(PlateCanvas& canvas, Document& document, FeatureEdits& edits)
    : MarksTool(canvas, document, edits, {QObject::tr("Click where the plate shows the spot of the sky picture")}) {}

void SkySpotTool::marked(const std::vector<Eigen::Vector2d>& marks) {
    if (canvas_.proofEdits()) canvas_.proofEdits()->turnSkySpotTo(marks[0]);
}

}  // namespace va
