// SPDX-License-Identifier: GPL-3.0-or-later
#include "drawer/stick_panel.h"

#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include "media/plate_source.h"
#include "style/theme.h"
#include "workflow/match_shot.h"
#include "workflow/place_things.h"

namespace va {
namespace {

constexpr int labelWidth = 64, gap = 6;

QImage imageOf(const Luma& p) {
    QImage out(p.width, p.height, QImage::Format_Grayscale8);
    for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x) out.scanLine(y)[x] = uchar(std::lround(p.at(x, y)));
    return out;
}

}  // namespace

StickPictures::StickPictures(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setObjectName("stickPictures");
    setAccessibleName(tr("Stick strip"));
    setMinimumHeight(60);
    connect(&document_, &Document::frameChanged, this, qOverload<>(&QWidget::update));
}

void StickPictures::show(std::shared_ptr<const StickStrip> strip) {
    strip_ = std::move(strip);
    upright_ = level_ = {};
    if (strip_ && !strip_->upright.empty()) upright_ = imageOf(strip_->upright), level_ = imageOf(strip_->level);
    update();
}

void StickPictures::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    painter.setFont(captionFont());
    if (upright_.isNull()) {
        painter.setPen(theme.textQuiet);
        painter.drawText(
            rect(), Qt::AlignCenter,
            tr("Select a thing, or point at a surface and press Shift+J: a straight pattern sticks, a wavy "
               "one slides."));
        return;
    }
    const int high = (height() - 3 * gap) / 2, wide = width() - labelWidth - gap;
    const auto n = double(strip_->frames.size());
    for (const auto& [image, word, row] : {std::tuple(&upright_, tr("up, down"), 0), {&level_, tr("left, right"), 1}}) {
        const QRect at(labelWidth, gap + row * (high + gap), wide, high);
        painter.setRenderHint(QPainter::SmoothPixmapTransform);
        painter.drawImage(at, *image);
        painter.setPen(theme.caption);
        painter.drawText(QRect(8, at.top(), labelWidth - 12, high), Qt::AlignLeft | Qt::AlignVCenter, word);
        // The foot's line, and how far off each frame was found, a tenth of a px a px high.
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(QColor(255, 255, 255, 90), 1, Qt::DotLine));
        painter.drawLine(QPointF(at.left(), at.center().y() + 0.5), QPointF(at.right(), at.center().y() + 0.5));
        painter.setPen(QPen(theme.accent, 1.6));
        std::optional<QPointF> last;
        for (size_t i = 0; i < strip_->off.size(); ++i) {
            const auto& off = strip_->off[i];
            if (!off) {
                last.reset();
                continue;
            }
            const double scale = double(high) / (2 * StickStrip::halfHeight + 1);
            const QPointF p(at.left() + (double(i) + 0.5) * wide / n,
                            at.center().y() + 0.5 + scale * (row == 0 ? off->y() : off->x()));
            if (last) painter.drawLine(*last, p);
            last = p;
        }
    }
    for (size_t i = 0; i < strip_->frames.size(); ++i)
        if (strip_->frames[i] == document_.frame()) {
            painter.setPen(QPen(theme.text, 1.2));
            const double x = labelWidth + (double(i) + 0.5) * wide / n;
            painter.drawLine(QPointF(x, 0), QPointF(x, height()));
        }
}

void StickPictures::mousePressEvent(QMouseEvent* event) {
    if (!strip_ || strip_->frames.empty()) return;
    const double share = (event->position().x() - labelWidth) / std::max(1, width() - labelWidth - gap);
    const int i = std::clamp(int(share * double(strip_->frames.size())), 0, int(strip_->frames.size()) - 1);
    document_.setFrame(strip_->frames[size_t(i)]);
}

StickPanel::StickPanel(Document& document, SlipWatch& slip, QWidget* parent)
    : QFrame(parent), document_(document), slip_(slip), pictures_(new StickPictures(document)), words_(new QLabel) {
    setObjectName("stickPanel");
    words_->setObjectName("stickWords");
    words_->setWordWrap(true);
    words_->setContentsMargins(10, 4, 10, 4);
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(words_);
    column->addWidget(pictures_, 1);
    wait_.setSingleShot(true);
    connect(&wait_, &QTimer::timeout, this, &StickPanel::cut);
    connect(&document_, &Document::shotChanged, this, &StickPanel::ask);
    connect(&document_, &Document::selectionChanged, this, [this] {
        if (document_.selectedThing() != 0 && document_.selectedThing() != shownThing_) pointed_.reset();
        ask();
    });
}

namespace {

/// Rec. 709 luma of what is displayed.
Luma lumaOf(const DisplayPicture& p) {
    Luma out(p.width, p.height);
    for (size_t i = 0; i < p.data.size(); ++i) {
        const uint32_t c = p.data[i];
        out.data[i] = 0.2126F * float(c >> 16 & 255U) + 0.7152F * float(c >> 8 & 255U) + 0.0722F * float(c & 255U);
    }
    return out;
}

}  // namespace

void StickPanel::setProof(const ProofLive* live) {
    proof_ = live;
    connect(live, &ProofLive::changed, this, [this] {
        const size_t now = proof_->on() && !proof_->renderingRange() ? proof_->kept().size() : 0;
        if ((now > 1 ? now : 0) != ofProof_) ask();
    });
}

void StickPanel::showEvent(QShowEvent*) { ask(); }

void StickPanel::judge(const Eigen::Vector3d& place, const Eigen::Vector3d& normal) {
    pointed_ = {place, normal};
    shownThing_ = document_.selectedThing();
    ask();
}

void StickPanel::ask() {
    // Moving a thing asks again and again.
    if (isVisible()) wait_.start(150);
}

void StickPanel::cut() {
    if (background_.running()) {
        again_ = true;
        background_.cancel();
        return;
    }
    const Shot& shot = document_.shot();
    const Thing* thing = shot.thing(document_.selectedThing());
    if ((!thing && !pointed_) || !shot.hasWorld() || !document_.plateTrouble().isEmpty()) {
        pictures_->show(nullptr);
        return words_->clear();
    }
    const auto snapshot = std::make_shared<const Shot>(shot);
    StickSpot spot;
    if (pointed_) {
        spot.place = [p = pointed_->first](int) { return std::optional(p); };
        spot.normal = [n = pointed_->second](int) { return n; };
    } else {
        spot = footOf(shot, thing->id);
    }
    auto kept = proof_ && proof_->on() && !proof_->renderingRange() ? proof_->kept() : decltype(proof_->kept())();
    if (kept.size() < 2) kept.clear();
    ofProof_ = kept.size();
    const QString name = pointed_ ? tr("The place pointed at") : QString::fromStdString(thing->name);
    const auto foot = spot.place(document_.frame());
    const double slip = foot ? slip_.slipAt(*foot) : -1;
    const auto made = std::make_shared<StickStrip>();
    background_.start(
        [snapshot, spot, made, kept, frame = document_.frame()](Progress& progress) {
            if (!kept.empty()) {
                std::vector<int> frames;
                for (const auto& [f, picture] : kept) frames.push_back(f);
                *made = stickStrip(
                    *snapshot, spot, frames, [&](int f) { return lumaOf(*kept.at(f)); },
                    kept.contains(frame) ? std::optional(frame) : std::nullopt, progress);
                return;
            }
            const auto source = openPlate(snapshot->plateSpec, choicesForOpening(snapshot->overrides));
            *made = stickStrip(
                *snapshot, spot, snapshot->frames(), [&](int f) { return source->luma(f); }, frame, progress);
        },
        [this, made, name, slip](Background::End end, const QString& trouble) {
            if (std::exchange(again_, false)) return ask();
            if (end == Background::End::failed) return words_->setText(trouble);
            if (end != Background::End::done) return;
            pictures_->show(made);
            QString words = QStringLiteral("%1: %2").arg(name, QString::fromStdString(made->sentence));
            if (ofProof_ > 0) words += " " + tr("Cut from %n frames of the proof.", nullptr, int(ofProof_));
            if (slip >= 0) words += tr(" Expected slip %1 px.").arg(slip, 0, 'f', 2);
            words_->setText(words);
        });
}

}  // namespace va
