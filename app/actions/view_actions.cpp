// SPDX-License-Identifier: GPL-3.0-or-later
// The actions of tools, views and steps.
#include <QActionGroup>
#include <QSettings>

#include "drawer/drawer.h"
#include "inspector/inspector.h"
#include "main_window/main_window.h"
#include "route/route.h"
#include "steps/step_table.h"
#include "strip/strip.h"
#include "style/theme.h"
#include "views/views.h"

namespace va {

void MainWindow::makeToolActions() {
    auto* tools = new QActionGroup(this);
    for (const ToolInfo& t : toolTable()) {
        const auto word = [](const char* text) { return QCoreApplication::translate("tools", text); };
        QAction* a = add(QLatin1String(t.action), word(t.text), word(t.shortText), QKeySequence(t.key),
                         QLatin1String(t.icon), [this, tool = t.tool] { plate_->canvas().setTool(tool); });
        a->setCheckable(true);
        a->setChecked(t.tool == PlateTool::select);
        tools->addAction(a);
    }
}

void MainWindow::makeViewActions() {
    auto* modes = new QActionGroup(this);
    const auto mode = [&](const char* name, const QString& text, const QString& shortText, int key, SceneMode which) {
        QAction* a = add(QLatin1String(name), text, shortText, QKeySequence(key), {},
                         [this, which] { scene_->canvas().setMode(which); });
        a->setCheckable(true);
        modes->addAction(a);
        return a;
    };
    mode("orbit", tr("Scene: orbit"), tr("orbit"), Qt::Key_F5, SceneMode::orbit)->setChecked(true);
    mode("top", tr("Scene: from the top"), tr("top"), Qt::Key_F6, SceneMode::top);
    mode("front", tr("Scene: from the front"), tr("front"), Qt::Key_F7, SceneMode::front);
    mode("side", tr("Scene: from the side"), tr("side"), Qt::SHIFT | Qt::Key_F7, SceneMode::side);
    mode("lensView", tr("Scene: through the lens"), tr("lens"), Qt::Key_F8, SceneMode::throughLens);

    add("fit", tr("Fit the picture"), {}, Qt::Key_0, {}, [this] { plate_->canvas().fit(); });
    add("fullSize", tr("Picture at 100 %"), {}, QKeySequence(Qt::CTRL | Qt::Key_0), {},
        [this] { plate_->canvas().setZoom(1); });
    add("frameScene", tr("Bring the whole scene into view"), {}, QKeySequence(Qt::SHIFT | Qt::Key_0), {},
        [this] { scene_->canvas().frameAll(); });
    auto* layouts = new QActionGroup(this);
    const auto layout = [&](const char* name, const QString& text, const QString& shortText, int key, ViewMode which) {
        QAction* a =
            add(QLatin1String(name), text, shortText, QKeySequence(key), {}, [this, which] { views_->setMode(which); });
        a->setCheckable(true);
        layouts->addAction(a);
        return a;
    };
    layout("plateOnly", tr("Plate view, with the scene as an inset"), tr("Plate"), Qt::Key_1, ViewMode::plate)
        ->setChecked(true);
    layout("both", tr("Plate and scene side by side"), tr("Plate + scene"), Qt::Key_2, ViewMode::beside);
    layout("sceneOnly", tr("Scene view alone"), tr("Scene"), Qt::Key_3, ViewMode::scene);
    QAction* inset = add("inset", tr("Show the scene as an inset over the picture"), tr("Inset"), Qt::Key_4, {}, {});
    inset->setCheckable(true);
    connect(inset, &QAction::toggled, this, [this](bool on) {
        insetAt_[size_t(route_->current())] = on;
        QSettings().setValue(QStringLiteral("inset/%1").arg(int(route_->current())), on);
        views_->setInsetShown(on);
    });
    QAction* features = add("showFeatures", tr("Show features over the picture"), tr("Features"), Qt::Key_F4, {}, {});
    features->setCheckable(true);
    connect(features, &QAction::toggled, this, [this](bool on) {
        PathLook look = plate_->canvas().look();
        look.shown = on;
        plate_->canvas().setLook(look);
    });
    add("cloudColour", tr("Points of the cloud: colour of the plate, residual or plain"), tr("• plate"), Qt::Key_F9, {},
        [this] { nextCloudColour(); });

    const auto part = [this](const char* name, const QString& text, const QString& shortText, int key,
                             Drawer::Part which) {
        QAction* a = add(QLatin1String(name), text, shortText, QKeySequence(Qt::CTRL | key), {},
                         [this, which] { callDrawer(which); });
        a->setCheckable(true);
    };
    part("table", tr("Table of features"), tr("Table"), Qt::Key_1, Drawer::Part::table);
    part("curves", tr("Curves of the selected features"), tr("Curves"), Qt::Key_2, Drawer::Part::curves);
    part("prune", tr("Prune: set paths aside by rules"), tr("Prune"), Qt::Key_3, Drawer::Part::prune);
    part("log", tr("Log of what was said"), tr("Log"), Qt::Key_4, Drawer::Part::log);
    part("things", tr("List of things"), tr("Things"), Qt::Key_5, Drawer::Part::things);
    part("stick", tr("Stick strip: does it stick"), tr("Stick"), Qt::Key_6, Drawer::Part::stick);
    add("drawer", tr("Open or fold the drawer"), {}, QKeySequence(Qt::CTRL | Qt::Key_D), {},
        [this] { callDrawer(drawer_->part()); });
    add("theme", tr("Light or dark look"), {}, {}, {}, [] {
        Theme::use(!Theme::isLight());
        applyTheme(*qApp);
    });
    for (const StepInfo& s : stepTable())
        add(QLatin1String(s.action), tr("Step: %1").arg(stepName(s.step)), stepName(s.step),
            QKeySequence(Qt::ALT | (Qt::Key_1 + int(s.step))), {}, [this, step = s.step] { route_->setCurrent(step); });
}

void MainWindow::callDrawer(Drawer::Part part) {
    const bool open = drawer_->isHidden() || drawer_->part() != part;
    drawer_->showPart(part);
    drawer_->setVisible(open);
    QSettings().setValue("view/drawer", open ? int(part) : -1);
    refreshDrawerWords();
}

void MainWindow::refreshDrawerWords() {
    const char* words[] = {"table", "curves", "prune", "log", "things", "stick"};
    for (int i = 0; i < int(std::size(words)); ++i)
        actions_[words[i]]->setChecked(!drawer_->isHidden() && int(drawer_->part()) == i);
}

void MainWindow::nextCloudColour() {
    SceneCanvas& scene = scene_->canvas();
    const CloudColour next = CloudColour((int(scene.cloudColour()) + 1) % 3);
    scene.setCloudColour(next);
    const QString words[] = {tr("• plate"), tr("• residual"), tr("• plain")};
    actions_["cloudColour"]->setIconText(words[int(next)]);
}

void MainWindow::showStep(Step step) {
    const StepInfo& info = stepTable()[size_t(step)];
    inspector_->showStep(step);
    strip_->setStep(step);
    actions_["showFeatures"]->setChecked(info.features || toolInfo(plate_->canvas().tool()).needsFeatures);
    actions_["inset"]->setChecked(insetAt_[size_t(step)]);
    plate_->canvas().setEdgesShown(step == Step::lens && inspector_->lens().section() == LensSection::edges);
    plate_->canvas().setGroundShown(step == Step::ground);
    plate_->canvas().setTileShown(step == Step::ground || step == Step::layout);
    plate_->canvas().setLayoutShown(step == Step::layout);
    // Masks drawn here lie before the things; elsewhere they keep features out.
    edits_.setMaskList(step == Step::proof ? FeatureEdits::MaskList::front : FeatureEdits::MaskList::features);
    proofLive_.setOn(step == Step::proof);
    if (step != Step::ground) groundEdits_.showCandidate(-1);
    refreshGroundActions();
}

void MainWindow::toolTaken() {
    const ToolInfo& tool = toolInfo(plate_->canvas().tool());
    actions_[tool.action]->setChecked(true);
    scene_->canvas().setLassoing(tool.tool == PlateTool::lasso);
    // The tool's numbers stand on its step's page.
    const bool frontMask = tool.tool == PlateTool::mask && edits_.maskList() == FeatureEdits::MaskList::front;
    if (tool.step && !frontMask) route_->setCurrent(*tool.step);
    if (tool.needsFeatures) actions_["showFeatures"]->setChecked(true);
    if (tool.tool == PlateTool::edge) inspector_->lens().showSection(LensSection::edges);
}

}  // namespace va
