// SPDX-License-Identifier: GPL-3.0-or-later
#include "views/views.h"

#include <QAction>
#include <QHBoxLayout>
#include <QMouseEvent>
#include <QSettings>
#include <QToolButton>
#include <cmath>

namespace va {
namespace {

constexpr int headerHeight = 36, dividerWidth = 5, insetMargin = 8;

}  // namespace

Views::Views(PlateView* plate, SceneView* scene, const Words& words, QWidget* parent)
    : QFrame(parent),
      plate_(plate),
      scene_(scene),
      header_(new QFrame(this)),
      divider_(new QFrame(this)),
      drawerEdge_(new QFrame(this)),
      zoom_(new QLabel) {
    setObjectName("views");
    header_->setObjectName("viewHeader");
    auto* row = new QHBoxLayout(header_);
    row->setContentsMargins(12, 0, 8, 0);
    row->setSpacing(6);
    auto* title = new QLabel(tr("Plate"));
    title->setObjectName("title");
    zoom_->setObjectName("quiet");
    zoom_->setMinimumWidth(44);
    row->addWidget(title);
    row->addWidget(zoom_);
    for (QAction* mode : words.modes) {
        auto* button = new QToolButton;
        button->setDefaultAction(mode);
        button->setToolButtonStyle(Qt::ToolButtonTextOnly);
        button->setAccessibleName(mode->text());
        row->addWidget(button);
    }
    row->addStretch();
    for (QAction* tool : words.tools) {
        auto* button = new QToolButton;
        button->setDefaultAction(tool);
        button->setIconSize(QSize(16, 16));
        button->setAccessibleName(tool->text());
        row->addWidget(button);
        tools_ << button;
    }
    plate_->setParent(this);
    scene_->setParent(this);
    divider_->setObjectName("divider");
    divider_->setCursor(Qt::SplitHCursor);
    drawerEdge_->setObjectName("divider");
    drawerEdge_->setCursor(Qt::SplitVCursor);
    drawerEdge_->hide();
    for (QWidget* w : std::initializer_list<QWidget*>{divider_, drawerEdge_, scene_->header()})
        w->installEventFilter(this);
    connect(&plate_->canvas(), &PlateCanvas::zoomChanged, this,
            [this] { zoom_->setText(tr("%1 %").arg(std::lround(plate_->canvas().zoom() * 100))); });
    const QSettings settings;
    corner_ = Corner(std::clamp(settings.value("view/insetCorner", int(corner_)).toInt(), 0, 3));
    share_ = std::clamp(settings.value("view/plateShare", share_).toDouble(), 0.2, 0.9);
    drawerShare_ = std::clamp(settings.value("view/drawerShare", drawerShare_).toDouble(), 0.15, 0.8);
    setMinimumSize(520, 240);
}

void Views::setMode(ViewMode mode) {
    mode_ = mode;
    arrange();
}

void Views::setInsetShown(bool shown) {
    inset_ = shown;
    arrange();
}

void Views::setInsetCorner(Corner corner) {
    corner_ = corner;
    QSettings().setValue("view/insetCorner", int(corner));
    arrange();
}

void Views::setDrawer(QWidget* drawer) {
    drawer_ = drawer;
    drawer_->setParent(this);
    drawer_->installEventFilter(this);
    arrange();
}

void Views::setStill(StillView* still) {
    still_ = still;
    still_->setParent(this);
    arrange();
}

void Views::setFlip(FlipView* flip) {
    flip_ = flip;
    flip_->setParent(this);
    flip_->hide();
    arrange();
}

QRect Views::area() const { return {0, headerHeight, width(), height() - headerHeight}; }

QRect Views::insetRect() const {
    const QRect a = area();
    const int w = std::clamp(int(a.width() * 0.3), 240, 520), h = w * 13 / 20;
    const bool left = corner_ == Corner::topLeft || corner_ == Corner::bottomLeft,
               top = corner_ == Corner::topLeft || corner_ == Corner::topRight;
    // At the foot stand the legend and the hints of the tools.
    return {left ? a.left() + insetMargin : a.right() + 1 - insetMargin - w,
            top ? a.top() + insetMargin : a.bottom() + 1 - insetMargin - h - 28, w, h};
}

void Views::arrange() {
    header_->setGeometry(0, 0, width(), headerHeight);
    const QRect a = area();
    plate_->setVisible(mode_ != ViewMode::scene);
    scene_->setVisible(mode_ != ViewMode::plate || inset_);
    divider_->setVisible(mode_ == ViewMode::beside);
    scene_->setProperty("inset", mode_ == ViewMode::plate);
    if (mode_ == ViewMode::beside) {
        const int left = int(std::lround(a.width() * share_));
        plate_->setGeometry(a.left(), a.top(), left - dividerWidth / 2, a.height());
        divider_->setGeometry(left - dividerWidth / 2, a.top(), dividerWidth, a.height());
        const int from = left - dividerWidth / 2 + dividerWidth;
        scene_->setGeometry(from, a.top(), a.right() + 1 - from, a.height());
    } else {
        plate_->setGeometry(a);
        scene_->setGeometry(mode_ == ViewMode::scene ? a : insetRect());
    }
    scene_->raise();
    if (still_) {
        // Half as wide as the plate: marks have to be found in it.
        const QRect p = plate_->geometry();
        const int wide = std::clamp(p.width() / 2, 280, 900),
                  high = std::min(wide * 3 / 4, p.height() - 2 * insetMargin);
        still_->setGeometry(p.left() + insetMargin, p.bottom() + 1 - insetMargin - high, wide, high);
        still_->raise();
    }
    if (flip_) flip_->setGeometry(a);
    scene_->header()->setCursor(mode_ == ViewMode::plate ? Qt::OpenHandCursor : Qt::ArrowCursor);
    const bool open = drawer_ && !drawer_->isHidden();
    drawerEdge_->setVisible(open);
    if (open) {
        const int high = int(std::lround(a.height() * drawerShare_));
        drawer_->setGeometry(a.left(), a.bottom() + 1 - high, a.width(), high);
        drawerEdge_->setGeometry(a.left(), a.bottom() + 1 - high - dividerWidth, a.width(), dividerWidth);
        drawer_->raise();
        drawerEdge_->raise();
    }
    if (flip_) flip_->raise();
    showLabels();
}

/// The tools say their names where there is room for all of them.
void Views::showLabels() {
    int wide = 0;
    for (QToolButton* b : tools_) wide += b->fontMetrics().horizontalAdvance(b->defaultAction()->iconText()) + 36;
    const bool room = width() > wide + 420;
    for (QToolButton* b : tools_) b->setToolButtonStyle(room ? Qt::ToolButtonTextBesideIcon : Qt::ToolButtonIconOnly);
}

double Views::visiblePictureArea() const {
    if (mode_ == ViewMode::scene) return 0;
    const PlateCanvas& canvas = plate_->canvas();
    const QPoint corner = canvas.mapTo(this, QPoint(0, 0));
    QRegion seen(canvas.pictureRect().toAlignedRect().intersected(canvas.rect()).translated(corner));
    if (mode_ == ViewMode::plate && inset_) seen -= scene_->geometry();
    if (drawer_ && !drawer_->isHidden()) seen -= drawer_->geometry();
    double out = 0;
    for (const QRect& r : seen) out += double(r.width()) * r.height();
    return out;
}

bool Views::eventFilter(QObject* watched, QEvent* event) {
    if (watched == drawer_ && (event->type() == QEvent::Show || event->type() == QEvent::Hide)) arrange();
    if (watched == scene_->header()) return dragInset(event);
    if (watched == divider_) return dragDivider(event);
    if (watched == drawerEdge_) return dragDrawer(event);
    return QFrame::eventFilter(watched, event);
}

bool Views::dragInset(QEvent* event) {
    if (mode_ != ViewMode::plate) return false;
    if (event->type() == QEvent::MouseButtonDblClick) {
        Q_EMIT insetOpened();
        return true;
    }
    const auto* mouse = dynamic_cast<QMouseEvent*>(event);
    if (!mouse) return false;
    const QPoint at = mapFromGlobal(mouse->globalPosition().toPoint());
    if (event->type() == QEvent::MouseButtonPress) {
        grabbed_ = at - scene_->pos();
        dragged_ = true;
    } else if (event->type() == QEvent::MouseMove && dragged_) {
        scene_->move(at - grabbed_);
    } else if (event->type() == QEvent::MouseButtonRelease && dragged_) {
        dragged_ = false;
        const QPoint middle = scene_->geometry().center(), centre = area().center();
        const bool left = middle.x() < centre.x(), top = middle.y() < centre.y();
        setInsetCorner(top ? (left ? Corner::topLeft : Corner::topRight)
                           : (left ? Corner::bottomLeft : Corner::bottomRight));
    }
    return true;
}

bool Views::dragDivider(QEvent* event) {
    const auto* mouse = dynamic_cast<QMouseEvent*>(event);
    if (!mouse || event->type() != QEvent::MouseMove || !(mouse->buttons() & Qt::LeftButton)) return false;
    const double x = mapFromGlobal(mouse->globalPosition().toPoint()).x();
    // Both views keep what they need to be of use.
    share_ = std::clamp(x / width(), 240.0 / width(), 1 - 200.0 / width());
    QSettings().setValue("view/plateShare", share_);
    arrange();
    return true;
}

bool Views::dragDrawer(QEvent* event) {
    const auto* mouse = dynamic_cast<QMouseEvent*>(event);
    if (!mouse || event->type() != QEvent::MouseMove || !(mouse->buttons() & Qt::LeftButton)) return false;
    const double y = mapFromGlobal(mouse->globalPosition().toPoint()).y();
    drawerShare_ = std::clamp((height() - y) / area().height(), 0.15, 0.8);
    QSettings().setValue("view/drawerShare", drawerShare_);
    arrange();
    return true;
}

}  // namespace va
