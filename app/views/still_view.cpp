// SPDX-License-Identifier: GPL-3.0-or-later
#include "views/still_view.h"

#include <QHBoxLayout>
#include <QMouseEvent>
#include <QPainter>
#include <QToolButton>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>
#include <set>

#include "base/error.h"
#include "plate_view/overlays/notices.h"
#include "style/theme.h"
#include "workflow/still_work.h"

namespace va {
namespace {

constexpr double grabMark = 9;  ///< screen px

}  // namespace

StillCanvas::StillCanvas(Document& document, StillEdits& edits, QWidget* parent)
    : QWidget(parent), document_(document), edits_(edits) {
    setObjectName("stillCanvas");
    setAccessibleName(tr("Reference still"));
    setMouseTracking(true);
    setFocusPolicy(Qt::ClickFocus);
    setCursor(Qt::CrossCursor);
    connect(&edits_, &StillEdits::changed, this, &StillCanvas::load);
    connect(&document_, &Document::shotChanged, this, &StillCanvas::load);
    connect(&document_, &Document::selectionChanged, this, qOverload<>(&QWidget::update));
}

void StillCanvas::load() {
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    const std::string file = still ? still->file : std::string();
    update();
    if (file == loaded_) return;
    loaded_ = file;
    picture_ = {};
    trouble_.clear();
    if (file.empty()) return;
    try {
        const auto source = openStill(file);
        const DisplayPicture p = source->display(source->info().frames.first);
        picture_ =
            QImage(reinterpret_cast<const uchar*>(p.data.data()), p.width, p.height, p.width * 4, QImage::Format_RGB32)
                .copy();
    } catch (const std::exception& e) {
        trouble_ = QString::fromUtf8(e.what());
    }
    fit();
}

void StillCanvas::fit() {
    fitted_ = true;
    if (picture_.isNull() || width() == 0) return;
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    const double aspect = still ? still->pixelAspect : 1;
    zoom_ = std::min(width() / (picture_.width() * aspect), double(height()) / picture_.height());
    origin_ = QPointF((width() - picture_.width() * aspect * zoom_) / 2, (height() - picture_.height() * zoom_) / 2);
    update();
}

void StillCanvas::resizeEvent(QResizeEvent*) {
    if (fitted_) fit();
}

QPointF StillCanvas::fromPixel(const Eigen::Vector2d& p) const {
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    const double aspect = still ? still->pixelAspect : 1;
    return origin_ + QPointF((p.x() + 0.5) * zoom_ * aspect, (p.y() + 0.5) * zoom_);
}

Eigen::Vector2d StillCanvas::toPixel(const QPointF& at) const {
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    const double aspect = still ? still->pixelAspect : 1;
    const QPointF d = at - origin_;
    return {d.x() / (zoom_ * aspect) - 0.5, d.y() / zoom_ - 0.5};
}

int StillCanvas::markAt(const QPointF& at) const {
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    int best = 0;
    double nearest = grabMark;
    if (still)
        for (const StillMark& m : still->marks) {
            const double far = QLineF(fromPixel(m.pixel), at).length();
            if (far < nearest) nearest = far, best = m.path;
        }
    return best;
}

void StillCanvas::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    if (!still) return;
    if (picture_.isNull()) return drawNotice(painter, rect(), trouble_);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ < 1.5);
    painter.drawImage(QRectF(origin_, QSizeF(picture_.width() * still->pixelAspect * zoom_, picture_.height() * zoom_)),
                      picture_);
    painter.setRenderHint(QPainter::Antialiasing);
    std::set<int> rejected;
    for (const SolvedStill& s : document_.shot().solve->stills)
        if (s.id == still->id) rejected.insert(s.rejected.begin(), s.rejected.end());
    painter.setFont(captionFont());
    for (const StillMark& m : still->marks) {
        const bool chosen = document_.selectedPaths().contains(m.path);
        const QPointF at = m.path == dragged_ ? draggedTo_ : fromPixel(m.pixel);
        const QColor colour = chosen || m.path == hovered_ ? theme.accent : QColor(245, 245, 245);
        const double r = chosen ? 5.5 : 3.5;
        for (const QPen& pen : {QPen(QColor(0, 0, 0, 160), 3), QPen(colour, 1.4)}) {
            painter.setPen(pen);
            // As on the plate: by hand a diamond, found a ring; one that does not fit is crossed out.
            if (m.byHand)
                painter.drawPolygon(
                    QPolygonF{at + QPointF(0, -r), at + QPointF(r, 0), at + QPointF(0, r), at + QPointF(-r, 0)});
            else painter.drawEllipse(at, r, r);
            if (rejected.contains(m.path)) painter.drawLine(at + QPointF(-6, -6), at + QPointF(6, 6));
        }
        const Path* path = document_.shot().path(m.path);
        if (path && !path->name.empty()) {
            const QString words = QString::fromStdString(path->name);
            QRectF box = painter.fontMetrics().boundingRect(words).adjusted(-4, -1, 4, 1);
            box.moveTopLeft(at + QPointF(8, -16));
            drawTag(painter, box, words);
        }
    }
    if (still->marks.empty()) drawHint(painter, rect(), tr("Select a feature in the plate, then click it here"));
}

void StillCanvas::mousePressEvent(QMouseEvent* event) {
    from_ = event->position();
    if (event->button() == Qt::MiddleButton || event->modifiers() & Qt::AltModifier) {
        panning_ = true;
        return;
    }
    if (event->button() != Qt::LeftButton || picture_.isNull()) return;
    if (const int path = markAt(from_)) {
        document_.selectPaths({path});
        dragged_ = path;
        draggedTo_ = from_;
        return;
    }
    edits_.mark(edits_.shown(), toPixel(from_), clickSigma());
}

void StillCanvas::mouseMoveEvent(QMouseEvent* event) {
    if (panning_) {
        origin_ += event->position() - from_;
        from_ = event->position();
        fitted_ = false;
    } else if (dragged_ != 0) {
        draggedTo_ = event->position();
    } else {
        hovered_ = markAt(event->position());
    }
    update();
}

void StillCanvas::mouseReleaseEvent(QMouseEvent* event) {
    panning_ = false;
    if (dragged_ == 0) return;
    const int path = dragged_;
    dragged_ = 0;
    if (QLineF(from_, event->position()).length() > 1)
        edits_.moveMark(edits_.shown(), path, toPixel(event->position()), clickSigma());
    update();
}

void StillCanvas::wheelEvent(QWheelEvent* event) {
    if (picture_.isNull() || event->angleDelta().y() == 0) return;
    const Eigen::Vector2d pixel = toPixel(event->position());
    zoom_ = std::clamp(zoom_ * std::pow(1.2, event->angleDelta().y() / 120.0), 0.05, 32.0);
    fitted_ = false;
    origin_ += event->position() - fromPixel(pixel);
    update();
}

bool StillCanvas::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride && hovered_ != 0) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Delete || key == Qt::Key_Backspace) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void StillCanvas::keyPressEvent(QKeyEvent* event) {
    if ((event->key() != Qt::Key_Delete && event->key() != Qt::Key_Backspace) || hovered_ == 0)
        return QWidget::keyPressEvent(event);
    const int path = hovered_;
    hovered_ = 0;
    edits_.removeMark(edits_.shown(), path);
}

StillView::StillView(Document& document, StillEdits& edits, QWidget* parent)
    : QFrame(parent),
      document_(document),
      edits_(edits),
      title_(new QLabel),
      canvas_(new StillCanvas(document, edits)) {
    setObjectName("stillView");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(1, 1, 1, 1);
    layout->setSpacing(0);
    auto* head = new QFrame;
    head->setObjectName("viewHeader");
    head->setFixedHeight(28);
    auto* row = new QHBoxLayout(head);
    row->setContentsMargins(10, 0, 4, 0);
    title_->setObjectName("quiet");
    row->addWidget(title_, 1);
    auto* close = new QToolButton;
    close->setIcon(icon("x"));
    close->setAccessibleName(tr("Close the reference still"));
    close->setToolTip(tr("Close the reference still"));
    connect(close, &QToolButton::clicked, this, [this] { edits_.show(0); });
    row->addWidget(close);
    layout->addWidget(head);
    layout->addWidget(canvas_, 1);
    connect(&edits_, &StillEdits::changed, this, &StillView::refresh);
    connect(&document_, &Document::shotChanged, this, &StillView::refresh);
    hide();
}

void StillView::refresh() {
    const ReferenceStill* still = document_.shot().still(edits_.shown());
    setVisible(still != nullptr);
    if (!still) return;
    title_->setText(tr("%1 · %2 marks").arg(QString::fromStdString(still->name)).arg(still->marks.size()));
    title_->setToolTip(QString::fromStdString(stillVerdict(document_.shot(), *still)));
}

}  // namespace va
