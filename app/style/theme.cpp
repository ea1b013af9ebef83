// SPDX-License-Identifier: GPL-3.0-or-later
#include "style/theme.h"

#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QProxyStyle>
#include <QSvgRenderer>
#include <algorithm>
#include <array>
#include <cmath>

namespace va {
namespace {

bool light = false;

Theme darkTheme() {
    return {QColor("#232425"), QColor("#28292b"), QColor("#2b2c2e"), QColor("#1b1c1d"), QColor("#1c1d1e"),
            QColor("#2f3133"), QColor("#4a4d50"), QColor("#18191a"), QColor("#3d4043"), QColor("#f1f1ef"),
            QColor("#d6d8da"), QColor("#a9adb1"), QColor("#969a9e"), QColor("#ff7a59"), QColor("#221410"),
            QColor("#4a3a35"), QColor("#57b8b5"), QColor("#8fb98b"), QColor("#ffb454"), QColor("#7d8185"),
            QColor("#b9bdc1"), QColor("#333537")};
}

Theme lightTheme() {
    return {QColor("#e7e6e3"), QColor("#f1f0ee"), QColor("#eceae7"), QColor("#8a8b8c"), QColor("#ffffff"),
            QColor("#c9cacb"), QColor("#a4a7aa"), QColor("#bdbbb6"), QColor("#c9c6c0"), QColor("#232425"),
            QColor("#37393b"), QColor("#55585b"), QColor("#5f6265"), QColor("#c8431f"), QColor("#ffffff"),
            QColor("#f3d5cb"), QColor("#1f7d7a"), QColor("#3f7d3a"), QColor("#8f5a00"), QColor("#6a6d70"),
            QColor("#55585b"), QColor("#e2e0dc")};
}

/// Tool tips come within half a second: the tools stand as icons, and their names and keys are in the tips.
class Style : public QProxyStyle {
  public:
    Style() : QProxyStyle(QStringLiteral("Fusion")) {}
    int styleHint(StyleHint hint, const QStyleOption* option, const QWidget* widget,
                  QStyleHintReturn* data) const override {
        if (hint == SH_ToolTip_WakeUpDelay) return 400;
        return QProxyStyle::styleHint(hint, option, widget, data);
    }
};

QString styleSheet(const Theme& t) {
    QString css = QStringLiteral(R"(
* { color: $text; font-family: Inter; font-size: 12px; }
QMainWindow, QDialog, QMenu { background: $ground; }
QMenuBar { background: transparent; }
QMenuBar::item { padding: 4px 7px; color: $quiet; background: transparent; }
QMenuBar::item:selected, QMenu::item:selected { background: $hover; color: $text; }
QMenu { border: 1px solid $line; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; }
QMenu::item:disabled { color: $none; }
QMenu::separator { height: 1px; background: $line; margin: 4px 8px; }
QToolTip { background: $well; color: $text; border: 1px solid $line; padding: 4px 6px; }
#bar { background: $bar; border-bottom: 1px solid $strong; }
#badge { border: 1px solid $line; border-radius: 3px; padding: 0 8px; color: $soft; }
#shotName, #title { font-size: 13px; font-weight: 600; }
#caption { color: $caption; font-size: 11px; }
#quiet, #jobText { color: $quiet; }
#route, #inspector, QScrollArea#inspector, #page, #section { background: $panel; border: none; }
#inspector { border-left: 1px solid $strong; }
#route { border-right: 1px solid $strong; }
#verdict { background: $well; border: 1px solid $line; border-radius: 4px; padding: 6px 8px; }
#views, #viewHeader { background: $well; }
#viewHeader QToolButton { background: transparent; padding: 3px 6px; }
#viewHeader QToolButton:hover { background: $hover; }
#viewHeader QToolButton:checked { background: $wash; }
#sceneView { background: $scene; border: 1px solid $strong; }
#stillView { background: $scene; border: 1px solid $line; border-radius: 4px; }
#sceneView[inset="true"] { border: 1px solid $line; border-radius: 4px; }
#sceneHeader { background: transparent; }
QToolButton#word { background: transparent; color: $quiet; padding: 2px 4px; font-size: 11px; }
QToolButton#word:hover, QToolButton#word:checked { color: $text; background: transparent; }
#divider { background: $strong; }
#strip QToolButton { background: transparent; padding: 3px 5px; }
#strip QToolButton:hover { background: $hover; }
#strip QToolButton:checked { background: $wash; }
#strip, #drawer { background: $ground; border-top: 1px solid $strong; }
QPushButton { background: $hover; border: 1px solid $line; border-radius: 3px; padding: 4px 10px; min-height: 16px; }
QPushButton:hover { border-color: $none; }
QPushButton:pressed { background: $well; }
QPushButton:disabled { color: $none; border-color: $hover; }
QPushButton:focus, QLineEdit:focus, QComboBox:focus, QToolButton:focus { border: 1px solid $accent; }
QPushButton#primary { background: $accent; color: $onAccent; border: 1px solid $accent; font-weight: 600; padding: 4px 14px; }
QPushButton#primary:disabled { background: $wash; color: $quiet; border-color: $wash; }
QPushButton#link { background: transparent; border: 1px solid transparent; color: $quiet; padding: 3px 6px; }
QPushButton#link:hover { color: $text; }
QToolButton { background: $panel; border: 1px solid transparent; border-radius: 3px; padding: 4px; }
QToolButton:hover { background: $hover; }
QToolButton:checked { background: $wash; }
QLineEdit, QComboBox { background: $field; border: 1px solid $line; border-radius: 3px; padding: 2px 6px; min-height: 18px; selection-background-color: $wash; selection-color: $text; }
QLineEdit:read-only { background: transparent; border-color: transparent; }
QCheckBox::indicator { width: 11px; height: 11px; background: $field; border: 1px solid $none; border-radius: 3px; }
QCheckBox::indicator:hover, QCheckBox::indicator:focus { border-color: $text; }
QCheckBox::indicator:checked { background: $accent; border-color: $accent; image: url(:/icons/check.svg); }
QComboBox::drop-down { border: none; width: 18px; }
QComboBox::down-arrow { image: url(:/icons/chevron-down.svg); width: 12px; height: 12px; }
QComboBox QAbstractItemView { background: $field; border: 1px solid $line; selection-background-color: $wash; }
QTabBar::tab { background: transparent; color: $quiet; padding: 5px 10px; border-bottom: 2px solid transparent; }
QTabBar::tab:selected { color: $text; border-bottom: 2px solid $accent; }
QTabWidget::pane { border: none; }
QTableView, QListWidget, QPlainTextEdit { background: $ground; border: none; gridline-color: transparent; selection-background-color: $wash; selection-color: $text; alternate-background-color: $ground; }
QHeaderView, QHeaderView::section { background: $ground; color: $caption; font-size: 11px; border: none; border-bottom: 1px solid $line; padding: 3px 8px; }
QTableView::item { padding: 0 8px; border: none; }
#inspector QTableView, #inspector QHeaderView, #inspector QHeaderView::section { background: $panel; }
#inspector QTableView::item { padding: 0 3px; }
#inspector QHeaderView::section { padding: 3px 3px; }
QPushButton[segment="true"] { background: transparent; color: $quiet; border: none; border-bottom: 2px solid $line; border-radius: 0; padding: 4px 1px; min-width: 0; }
QPushButton[segment="true"]:hover { color: $text; }
QPushButton[segment="true"]:checked { color: $text; border-bottom: 2px solid $accent; }
QProgressBar { background: $line; border: none; border-radius: 2px; max-height: 4px; min-height: 4px; }
QProgressBar::chunk { background: $accent; border-radius: 2px; }
QScrollBar:vertical { background: transparent; width: 8px; } QScrollBar:horizontal { background: transparent; height: 8px; }
QScrollBar::handle { background: $line; border-radius: 4px; min-height: 24px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
QSplitter::handle { background: $strong; }
QSplitter::handle:horizontal { width: 1px; } QSplitter::handle:vertical { height: 1px; }
#banner { background: $wash; border-radius: 4px; }
)");
    const std::pair<const char*, QColor> tokens[] = {
        {"$textSoft", t.textSoft}, {"$text", t.text},     {"$soft", t.textSoft},     {"$quiet", t.textQuiet},
        {"$caption", t.caption},   {"$ground", t.ground}, {"$panel", t.panel},       {"$bar", t.bar},
        {"$well", t.well},         {"$field", t.field},   {"$strong", t.lineStrong}, {"$line", t.line},
        {"$hover", t.hover},       {"$scene", t.scene},   {"$onAccent", t.onAccent}, {"$accent", t.accent},
        {"$wash", t.wash},         {"$none", t.none}};
    for (const auto& [name, colour] : tokens) css.replace(QLatin1String(name), colour.name());
    return css;
}

}  // namespace

const Theme& Theme::current() {
    static const Theme dark = darkTheme(), bright = lightTheme();
    return light ? bright : dark;
}
void Theme::use(bool asLight) { light = asLight; }
bool Theme::isLight() { return light; }

void applyTheme(QApplication& app) {
    static bool loaded = false, loadedStyle = false;
    if (!loaded) {
        for (const char* file : {"Inter-Regular", "Inter-Medium", "Inter-SemiBold"})
            QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/%1.otf").arg(QLatin1String(file)));
        loaded = true;
    }
    const Theme& t = Theme::current();
    QPalette p;
    p.setColor(QPalette::Window, t.ground);
    p.setColor(QPalette::WindowText, t.text);
    p.setColor(QPalette::Base, t.field);
    p.setColor(QPalette::AlternateBase, t.ground);
    p.setColor(QPalette::Text, t.text);
    p.setColor(QPalette::Button, t.hover);
    p.setColor(QPalette::ButtonText, t.text);
    p.setColor(QPalette::Highlight, t.wash);
    p.setColor(QPalette::HighlightedText, t.text);
    p.setColor(QPalette::PlaceholderText, t.caption);
    p.setColor(QPalette::ToolTipBase, t.well);
    p.setColor(QPalette::ToolTipText, t.text);
    if (!loadedStyle) app.setStyle(new Style);
    loadedStyle = true;
    app.setPalette(p);
    app.setFont(bodyFont());
    app.setStyleSheet(styleSheet(t));
}

QFont bodyFont() {
    QFont f(QStringLiteral("Inter"));
    f.setPixelSize(12);
    return f;
}
QFont titleFont() {
    QFont f = bodyFont();
    f.setPixelSize(13);
    f.setWeight(QFont::DemiBold);
    return f;
}
QFont captionFont() {
    QFont f = bodyFont();
    f.setPixelSize(11);
    return f;
}

QIcon icon(const QString& name, const QColor& colour) {
    QFile file(QStringLiteral(":/icons/%1.svg").arg(name));
    if (!file.open(QIODevice::ReadOnly)) return {};
    QByteArray svg = file.readAll();
    svg.replace("currentColor", colour.name().toLatin1());
    QSvgRenderer renderer(svg);
    QIcon out;
    for (int size : {16, 24, 32, 48}) {
        QPixmap pixmap(size, size);
        pixmap.fill(Qt::transparent);
        QPainter painter(&pixmap);
        renderer.render(&painter);
        painter.end();
        out.addPixmap(pixmap);
    }
    return out;
}
QIcon icon(const QString& name) { return icon(name, Theme::current().textSoft); }

QColor residualColour(double t) {
    // Every sixteenth entry of the published 256-entry table, from where it reaches #404c6c to its end.
    static constexpr std::array<std::array<int, 3>, 12> table{{{64, 76, 108},
                                                               {80, 90, 109},
                                                               {95, 104, 112},
                                                               {110, 117, 116},
                                                               {125, 131, 120},
                                                               {141, 145, 120},
                                                               {158, 159, 117},
                                                               {176, 174, 111},
                                                               {194, 190, 101},
                                                               {213, 206, 88},
                                                               {232, 222, 73},
                                                               {254, 232, 56}}};
    const double at = std::clamp(t, 0.0, 1.0) * (table.size() - 1);
    const size_t i = std::min(table.size() - 2, size_t(at));
    const double w = at - double(i);
    const auto mix = [&](size_t c) { return int(std::lround(table[i][c] * (1 - w) + table[i + 1][c] * w)); };
    return QColor(mix(0), mix(1), mix(2));
}

QColor moverColour(int n) {
    static const char* hues[] = {"#b9a3f2", "#8fc6f4", "#e5a3c6", "#c4d488"};
    return QColor(hues[size_t(n) % 4]);
}

}  // namespace va
