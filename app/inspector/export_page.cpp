// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/export_page.h"

#include <QClipboard>
#include <QFileInfo>
#include <QFontDatabase>
#include <QGridLayout>
#include <QGuiApplication>
#include <QStandardPaths>

#include "base/error.h"
#include "exchange/euler.h"
#include "inspector/compact_table.h"
#include "inspector/number_field.h"
#include "workflow/stale.h"

namespace va {
namespace {

/// First frames that other programs count from.
constexpr int firstFrames[] = {1, 0, 1001};

QWidget* inColumns(const QList<QWidget*>& all, int columns) {
    auto* out = new QWidget;
    auto* grid = new QGridLayout(out);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setVerticalSpacing(2);
    for (int i = 0; i < all.size(); ++i) grid->addWidget(all[i], i / columns, i % columns);
    return out;
}

}  // namespace

ExportPage::ExportPage(const PageContext& context)
    : Page(tr("Export")), document_(context.document), edits_(context.exchange) {
    caption(tr("Folder"));
    folder_ = new QLineEdit;
    folder_->setObjectName("exportFolder");
    folder_->setAccessibleName(tr("Export folder"));
    insert(folder_);
    write_ = new QPushButton(tr("Write and verify"));
    write_->setObjectName("exportButton");
    insert(write_);
    report_ = note();
    report_->setObjectName("exportReport");
    files_ = compactTable("exportFiles", tr("Files as read back"), {tr("File"), tr("px off"), QString()});
    insert(files_);
    buildFormats();
    buildChoices();
    buildParts();
    caption(tr("What the next program must show"));
    next_ = new QPlainTextEdit;
    next_->setObjectName("exportNext");
    next_->setAccessibleName(tr("What the next program must show"));
    next_->setReadOnly(true);
    next_->setLineWrapMode(QPlainTextEdit::NoWrap);
    QFont fixed = QFontDatabase::systemFont(QFontDatabase::FixedFont);
    fixed.setPointSizeF(8);
    next_->setFont(fixed);
    next_->setFixedHeight(92);
    insert(next_);
    auto* copy = new QPushButton(tr("Copy"));
    copy->setObjectName("copyNext");
    insert(copy);
    caption(tr("From other programs"), Fold::closed);
    buttons({context.actions["takeScene"], context.actions["compareScene"]});
    buttons({context.actions["copyCameraRange"], context.actions["unlockCamera"]});
    connect(copy, &QPushButton::clicked, this, [this] { QGuiApplication::clipboard()->setText(next_->toPlainText()); });
    connect(write_, &QPushButton::clicked, this, [this] {
        if (edits_.running()) return edits_.cancel();
        edits_.exportTo(folder_->text(), choices(), words());
    });
    connect(&edits_, &ExchangeEdits::changed, this, &ExportPage::refresh);
    connect(&edits_, &ExchangeEdits::exported, this, &ExportPage::showRun);
}

void ExportPage::buildFormats() {
    caption(tr("Formats"));
    QList<QWidget*> all;
    const auto add = [&](const char* word, const QString& label, const QString& more, bool on) {
        auto* box = new QCheckBox(label);
        box->setObjectName(QStringLiteral("format-%1").arg(QLatin1String(word)));
        box->setToolTip(more);
        box->setChecked(on);
        connect(box, &QCheckBox::toggled, this, &ExportPage::showNextProgram);
        formats_[QLatin1String(word)] = box;
        all << box;
    };
    for (const ExportFormat* f : exportFormats()) add(f->word, QLatin1String(f->word), tr(f->label), f->byDefault);
    for (const PictureExport& p : pictureExports()) add(p.word, QLatin1String(p.word), tr(p.label), false);
    insert(inColumns(all, 3));
    lacks_ = note();
    lacks_->setObjectName("exportLacks");
}

void ExportPage::buildChoices() {
    caption(tr("As"));
    up_ = choice(tr("Up axis"), {tr("Y"), tr("Z")});
    up_->setObjectName("exportUp");
    unit_ = choice(tr("Unit"), {tr("metres"), tr("centimetres"), tr("inches")});
    unit_->setObjectName("exportUnit");
    first_ = choice(tr("First frame"), {tr("plate's own"), tr("1"), tr("0"), tr("1001")});
    first_->setObjectName("exportFirst");
    undistorted_ = check(tr("For the undistorted plate"));
    undistorted_->setObjectName("exportUndistorted");
    undistorted_->setToolTip(tr("Size, field of view and principal point of the larger undistorted frame"));
    layered_ = check(tr("With its layers"));
    layered_->setObjectName("exportLayered");
    layered_->setToolTip(tr("The camera with the layers of Layout, in the frame that they need"));
    for (QComboBox* box : {up_, unit_, first_})
        connect(box, &QComboBox::currentIndexChanged, this, &ExportPage::showNextProgram);
    for (QCheckBox* box : {undistorted_, layered_})
        connect(box, &QCheckBox::toggled, this, &ExportPage::showNextProgram);
}

void ExportPage::buildParts() {
    caption(tr("What goes along"), Fold::closed);
    QList<QWidget*> all;
    for (const auto& [key, label] :
         {std::pair("cloud", tr("cloud")), std::pair("planes", tr("planes")), std::pair("anchors", tr("anchors")),
          std::pair("things", tr("things")), std::pair("movers", tr("movers")), std::pair("paths", tr("paths")),
          std::pair("corners", tr("corners"))}) {
        auto* box = new QCheckBox(label);
        box->setObjectName(QStringLiteral("part-%1").arg(QLatin1String(key)));
        box->setChecked(true);
        connect(box, &QCheckBox::toggled, this, &ExportPage::showNextProgram);
        parts_[QLatin1String(key)] = box;
        all << box;
    }
    insert(inColumns(all, 2));
    onlyChosen_ = check(QString());
    onlyChosen_->setObjectName("exportOnlyChosen");
    connect(onlyChosen_, &QCheckBox::toggled, this, &ExportPage::showNextProgram);
    connect(&document_, &Document::selectionChanged, this, [this] {
        showChosen();
        if (onlyChosen_->isChecked()) showNextProgram();
    });
    showChosen();
    cloud_ = number(tr("Points at most"), 0, QString());
    cloud_->setObjectName("exportCloud");
    cloud_->setToolTip(tr("Those that fit best stay; 0 = all"));
    nearest_ = number(tr("Nearer than"), 2, tr("left out"));
    farthest_ = number(tr("Farther than"), 2, tr("left out"));
    for (NumberField* f : {nearest_, farthest_}) f->setToolTip(tr("From the nearest camera; 0 = no limit"));
    recentre_ = check(tr("Origin below the cloud"));
    filmBack_ = number(tr("Film back"), 3, tr("mm"));
    filmBack_->setObjectName("exportFilmBack");
    filmBack_->setToolTip(tr("Width; 0 = the shot's. Focal lengths in mm follow"));
    QStringList orders;
    for (const char* o : eulerOrders) orders << QLatin1String(o);
    order_ = choice(tr("Turns in tables"), orders);
    order_->setCurrentText("ZXY");
    perFrame_ = check(tr("A zoom as one camera a frame"));
    for (NumberField* f : {cloud_, nearest_, farthest_, filmBack_})
        connect(f, &NumberField::edited, this, [this, f](double v) {
            f->reset(std::max(0.0, v));
            showNextProgram();
        });
    for (QCheckBox* box : {recentre_, perFrame_}) connect(box, &QCheckBox::toggled, this, &ExportPage::showNextProgram);
}

ExportChoices ExportPage::choices() const {
    ExportChoices c;
    c.zUp = up_->currentIndex() == 1;
    c.unit = ExportUnit(std::max(0, unit_->currentIndex()));
    if (first_->currentIndex() > 0) c.firstFrame = firstFrames[first_->currentIndex() - 1];
    c.undistorted = undistorted_->isChecked();
    c.layered = layered_->isChecked();
    if (filmBack_->value() > 0) c.filmBackMm = filmBack_->value();
    c.cloudAtMost = int(cloud_->value());
    if (onlyChosen_->isChecked())
        for (const int id : document_.selectedPaths()) c.onlyPoints.push_back(id);
    std::sort(c.onlyPoints.begin(), c.onlyPoints.end());
    c.nearest = nearest_->value(), c.farthest = farthest_->value();
    c.recentre = recentre_->isChecked();
    c.cameraPerFrame = perFrame_->isChecked();
    c.eulerOrder = order_->currentText().toStdString();
    for (const auto& [key, to] :
         {std::pair("cloud", &c.cloud), std::pair("planes", &c.planes), std::pair("anchors", &c.anchors),
          std::pair("things", &c.things), std::pair("movers", &c.movers), std::pair("paths", &c.paths),
          std::pair("corners", &c.corners)})
        *to = parts_[QLatin1String(key)]->isChecked();
    return c;
}

/// Without a chosen feature all of the cloud goes.
void ExportPage::showChosen() {
    const auto count = document_.selectedPaths().size();
    onlyChosen_->setText(count > 0 ? tr("Of the cloud only the chosen: %1").arg(count)
                                   : tr("Of the cloud only the chosen"));
    onlyChosen_->setToolTip(tr("Choose features in the view or in the table of Features first"));
    if (count == 0) onlyChosen_->setChecked(false);
    onlyChosen_->setEnabled(count > 0);
}

QStringList ExportPage::words() const {
    QStringList out;
    for (const ExportFormat* f : exportFormats())
        if (formats_[QLatin1String(f->word)]->isChecked()) out << QLatin1String(f->word);
    for (const PictureExport& p : pictureExports())
        if (formats_[QLatin1String(p.word)]->isChecked()) out << QLatin1String(p.word);
    return out;
}

/// What the chosen formats have no place for is said before anything is written.
void ExportPage::showNextProgram() {
    const Shot& s = document_.shot();
    next_->clear();
    lacks_->setVisible(false);
    if (!s.solve->has()) return;
    try {
        const SceneExport scene = prepared(gatherExport(s, ""), choices());
        next_->setPlainText(QString::fromStdString(nextProgramText(scene)));
        QStringList lines;
        for (const QString& w : words())
            if (const ExportFormat* f = formatNamed(w.toStdString()))
                if (const std::string lacks = f->lacks(scene); !lacks.empty())
                    lines << tr("%1 has no place for: %2.").arg(w, QString::fromStdString(lacks));
        lacks_->setText(lines.join("\n"));
        lacks_->setVisible(!lines.isEmpty());
    } catch (const Error& e) {
        next_->setPlainText(QString::fromUtf8(e.what()));
    }
}

void ExportPage::showRun() {
    const ExportRun& run = edits_.lastRun();
    files_->setRowCount(int(run.checks.size()));
    for (int i = 0; i < int(run.checks.size()); ++i) {
        const ExportCheck& c = run.checks[size_t(i)];
        setCell(files_, i, 0, QString::fromStdString(c.file.filename().string()))
            ->setToolTip(QString::fromStdString(c.sentence));
        setCell(files_, i, 1, c.compared > 0 ? QString::number(c.largestPx, 'f', 5) : tr("–"), true);
        setCell(files_, i, 2, c.passed ? tr("good") : tr("failed"));
    }
    fitRows(files_, 9);
    refresh();
}

void ExportPage::refresh() {
    const Shot& s = document_.shot();
    if (!folder_->hasFocus() && !folder_->isModified()) {
        const QString base = document_.fileName().isEmpty()
                                 ? QStandardPaths::writableLocation(QStandardPaths::DocumentsLocation)
                                 : QFileInfo(document_.fileName()).absolutePath();
        folder_->setText(base + "/" + QString::fromStdString(s.name.empty() ? "shot" : s.name) + "-export");
    }
    write_->setEnabled(s.solve->has());
    write_->setText(edits_.running() ? tr("Cancel") : tr("Write and verify"));
    unit_->setEnabled(s.ground->metric);
    unit_->setToolTip(s.ground->metric ? QString() : tr("No scale is set: a unit stays a unit. Set one in Ground"));
    layered_->setEnabled(s.layers.any());
    if (s.exportedFrom == 0) {
        report_->setText(tr("Every file is read back and re-projected before it counts as written."));
        files_->setRowCount(0);
        fitRows(files_, 9);
    } else {
        report_->setText(stalenessOf(s).exported ? tr("The files were written before the last change.")
                                                 : QString::fromStdString(s.exportReport));
    }
    showNextProgram();
}

}  // namespace va
