// SPDX-License-Identifier: GPL-3.0-or-later
#include "main_window/scene_dialogs.h"

#include <QCheckBox>
#include <QClipboard>
#include <QFileInfo>
#include <QGridLayout>
#include <QGuiApplication>
#include <QHeaderView>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollArea>

#include "inspector/compact_table.h"
#include "style/theme.h"

namespace va {
namespace {

QString wordsFor(Misfit::About about) {
    switch (about) {
        case Misfit::About::rate: return TakeSceneDialog::tr("Rate");
        case Misfit::About::size: return TakeSceneDialog::tr("Picture size");
        case Misfit::About::firstFrame: return TakeSceneDialog::tr("First frame");
        case Misfit::About::frames: return TakeSceneDialog::tr("Frames");
        case Misfit::About::axis: return TakeSceneDialog::tr("Up axis");
        case Misfit::About::unit: return TakeSceneDialog::tr("Unit");
        case Misfit::About::filmBack: return TakeSceneDialog::tr("Film back");
        case Misfit::About::backShape: return TakeSceneDialog::tr("Shape of the back");
        case Misfit::About::pixels: return TakeSceneDialog::tr("Pixels");
        case Misfit::About::world: return TakeSceneDialog::tr("World");
        case Misfit::About::distortion: return TakeSceneDialog::tr("Distortion");
        case Misfit::About::camera: return TakeSceneDialog::tr("Camera");
    }
    return {};
}

constexpr int left = 46, bottom = 22, top = 10;

}  // namespace

TakeSceneDialog::TakeSceneDialog(const ExchangeEdits::Offered& offered, For what, QWidget* parent)
    : QDialog(parent), offered_(offered) {
    setObjectName("takeScene");
    setWindowTitle(what == For::taking ? tr("Take camera from %1").arg(QFileInfo(offered.file).fileName())
                                       : tr("Compare with %1").arg(QFileInfo(offered.file).fileName()));
    auto* layout = new QVBoxLayout(this);
    layout->setSpacing(10);
    const ForeignScene& s = offered_.scene;
    const auto& camera = cameraOf(s, offered.camera.toStdString());
    auto* head = new QLabel(tr("Camera \"%1\". Frames: %2, points: %3, things: %4.")
                                .arg(QString::fromStdString(camera.name))
                                .arg(camera.frames.size())
                                .arg(s.points.size())
                                .arg(s.bodies.size()));
    layout->addWidget(head);
    for (const std::string& note : s.notes) {
        auto* words = new QLabel(QString::fromStdString(note));
        words->setWordWrap(true);
        layout->addWidget(words);
    }
    if (offered_.misfits.empty()) layout->addWidget(new QLabel(tr("Rate, size, frames, axes and unit fit the shot.")));
    auto* rows = new QWidget;
    auto* grid = new QGridLayout(rows);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setHorizontalSpacing(18);
    grid->setVerticalSpacing(6);
    if (!offered_.misfits.empty())
        for (const auto& [column, words] :
             {std::pair(1, tr("The file")), std::pair(2, tr("The shot")), std::pair(3, tr("What holds"))}) {
            auto* title = new QLabel(words);
            title->setFont(captionFont());
            grid->addWidget(title, 0, column);
        }
    for (size_t i = 0; i < offered_.misfits.size(); ++i) {
        const Misfit& m = offered_.misfits[i];
        const int row = int(2 * i) + 1;
        auto* name = new QLabel(wordsFor(m.about));
        QFont strong = bodyFont();
        strong.setWeight(QFont::DemiBold);
        name->setFont(strong);
        grid->addWidget(name, row, 0);
        grid->addWidget(new QLabel(QString::fromStdString(m.theirs)), row, 1);
        grid->addWidget(new QLabel(QString::fromStdString(m.ours)), row, 2);
        auto* answer = new QComboBox;
        answer->setObjectName(QStringLiteral("answer%1").arg(i));
        answer->setAccessibleName(wordsFor(m.about));
        for (const std::string& c : m.choices) answer->addItem(QString::fromStdString(c));
        answer->setPlaceholderText(tr("choose …"));
        answer->setCurrentIndex(m.chosen);
        answer->setEnabled(m.choices.size() > 1);
        answer->setMinimumWidth(230);
        grid->addWidget(answer, row, 3);
        auto* why = new QLabel(QString::fromStdString(m.consequence));
        why->setWordWrap(true);
        why->setFont(captionFont());
        why->setContentsMargins(0, 0, 0, 6);
        grid->addWidget(why, row + 1, 1, 1, 3);
        answers_.push_back(answer);
        connect(answer, &QComboBox::currentIndexChanged, this, [this, i](int chosen) {
            offered_.misfits[i].chosen = chosen;
            refresh();
        });
    }
    layout->addWidget(rows);
    if (what == For::taking) {
        auto* things = new QCheckBox(tr("Its things as well (meshes are written beside the project)"));
        things->setObjectName("takeThings");
        things->setChecked(!s.bodies.empty());
        things->setEnabled(!s.bodies.empty());
        things_ = things->isChecked();
        connect(things, &QCheckBox::toggled, this, [this](bool on) { things_ = on; });
        layout->addWidget(things);
        auto* note = new QLabel(
            tr("The camera is locked then: ground, layout and export go on from it; what was solved here is in undo."));
        note->setWordWrap(true);
        layout->addWidget(note);
    }
    layout->addStretch(1);
    auto* line = new QHBoxLayout;
    line->addStretch(1);
    auto* cancel = new QPushButton(tr("Cancel"));
    take_ = new QPushButton(what == For::taking ? tr("Take") : tr("Compare"));
    take_->setObjectName("takeButton");
    take_->setDefault(true);
    line->addWidget(cancel);
    line->addWidget(take_);
    layout->addLayout(line);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(take_, &QPushButton::clicked, this, &QDialog::accept);
    refresh();
}

void TakeSceneDialog::refresh() {
    const bool open = std::any_of(offered_.misfits.begin(), offered_.misfits.end(),
                                  [](const Misfit& m) { return m.open && m.chosen < 0; });
    take_->setEnabled(!open);
    take_->setToolTip(open ? tr("Choose what holds in every row first") : QString());
}

ComparisonPlot::ComparisonPlot(CameraComparison comparison, QWidget* parent)
    : QWidget(parent), c_(std::move(comparison)) {
    setMinimumSize(420, 150);
    setAccessibleName(tr("Difference in px over the frames"));
}

void ComparisonPlot::paintEvent(QPaintEvent*) {
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.fillRect(rect(), theme.well);
    if (c_.frames.empty()) return;
    painter.setRenderHint(QPainter::Antialiasing);
    const QRectF area(left, top, width() - left - 10, height() - top - bottom);
    const double most = std::max(1e-6, c_.largestPx);
    const int first = c_.frames.front().frame, last = std::max(first + 1, c_.frames.back().frame);
    const auto at = [&](int frame, double px) {
        return QPointF(area.left() + area.width() * (frame - first) / (last - first),
                       area.bottom() - area.height() * px / most);
    };
    painter.setFont(captionFont());
    painter.setPen(theme.textQuiet);
    painter.drawText(QRectF(0, top - 6, left - 6, 14), Qt::AlignRight, QString::number(most, 'g', 3));
    painter.drawText(QRectF(0, area.bottom() - 8, left - 6, 14), Qt::AlignRight, tr("0 px"));
    painter.drawText(QRectF(area.left(), area.bottom() + 4, 80, 16), Qt::AlignLeft, QString::number(first));
    painter.drawText(QRectF(area.right() - 80, area.bottom() + 4, 80, 16), Qt::AlignRight,
                     QString::number(c_.frames.back().frame));
    painter.setPen(QPen(theme.grid, 1));
    painter.drawLine(area.bottomLeft(), area.bottomRight());
    QPolygonF largest, rms;
    for (const auto& f : c_.frames) largest << at(f.frame, f.largestPx), rms << at(f.frame, f.rmsPx);
    painter.setPen(QPen(theme.accent, 1.6));
    painter.drawPolyline(largest);
    painter.setPen(QPen(theme.teal, 1.6));
    painter.drawPolyline(rms);
    painter.drawText(area.adjusted(8, 2, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("RMS"));
    painter.setPen(theme.accent);
    painter.drawText(area.adjusted(44, 2, 0, 0), Qt::AlignLeft | Qt::AlignTop, tr("largest"));
}

void ComparisonPlot::mousePressEvent(QMouseEvent* event) {
    if (c_.frames.empty()) return;
    const double share = (event->position().x() - left) / std::max(1.0, double(width() - left - 10));
    const int first = c_.frames.front().frame, last = c_.frames.back().frame;
    Q_EMIT frameChosen(std::clamp(int(std::lround(first + share * (last - first))), first, last));
}

CompareDialog::CompareDialog(const CameraComparison& c, const QString& file, QWidget* parent) : QDialog(parent) {
    setObjectName("comparison");
    setWindowTitle(tr("This camera and %1").arg(QFileInfo(file).fileName()));
    auto* layout = new QVBoxLayout(this);
    auto* sentence = new QLabel(QString::fromStdString(c.sentence));
    sentence->setObjectName("comparisonSentence");
    sentence->setWordWrap(true);
    layout->addWidget(sentence);
    auto* world =
        new QLabel(tr("Best similarity: its world scaled by %1 and turned by %2°.")
                       .arg(c.aFromB.scale, 0, 'g', 6)
                       .arg(c.aFromB.rotation.angularDistance(Eigen::Quaterniond::Identity()) * 180 / M_PI, 0, 'f', 3));
    layout->addWidget(world);
    auto* plot = new ComparisonPlot(c);
    layout->addWidget(plot, 1);
    connect(plot, &ComparisonPlot::frameChosen, this, &CompareDialog::frameChosen);
    auto* table = compactTable("comparisonTable", tr("Worst frames"),
                               {tr("Frame"), tr("largest px"), tr("RMS px"), tr("turn °"), tr("focal %"), tr("away")});
    std::vector<CameraComparison::Frame> worst = c.frames;
    std::stable_sort(worst.begin(), worst.end(),
                     [](const auto& a, const auto& b) { return a.largestPx > b.largestPx; });
    worst.resize(std::min<size_t>(8, worst.size()));
    table->setRowCount(int(worst.size()));
    for (int i = 0; i < int(worst.size()); ++i) {
        const auto& f = worst[size_t(i)];
        setCell(table, i, 0, QString::number(f.frame));
        const double values[] = {f.largestPx, f.rmsPx, f.turnDeg, f.focalPercent, f.away};
        for (int k = 0; k < 5; ++k) setCell(table, i, k + 1, QString::number(values[k], 'f', 4), true);
    }
    fitRows(table, 8);
    connect(table, &QTableWidget::itemSelectionChanged, this, [this, table] {
        if (const auto chosen = table->selectedItems(); !chosen.isEmpty())
            Q_EMIT frameChosen(table->item(chosen.front()->row(), 0)->text().toInt());
    });
    layout->addWidget(table);
    auto* line = new QHBoxLayout;
    auto* copy = new QPushButton(tr("Copy the table"));
    connect(copy, &QPushButton::clicked, this,
            [c] { QGuiApplication::clipboard()->setText(QString::fromStdString(comparisonTable(c))); });
    auto* close = new QPushButton(tr("Close"));
    close->setDefault(true);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
    line->addWidget(copy);
    line->addStretch(1);
    line->addWidget(close);
    layout->addLayout(line);
}

}  // namespace va
