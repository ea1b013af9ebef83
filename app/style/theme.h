// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QApplication>
#include <QColor>
#include <QFont>
#include <QIcon>

namespace va {

/// The tokens of the look: every colour in the window comes from here.
struct Theme {
    QColor ground, panel, bar, well, field, scene, grid, lineStrong, line, text, textSoft, textQuiet, caption;
    QColor accent, onAccent, wash, teal, good, look, none, stale, hover;

    static const Theme& current();
    static void use(bool light);
    [[nodiscard]] static bool isLight();
};

/// Loads the fonts that ship with the program, sets palette and style sheet. Called once, and again when the theme
/// changes.
void applyTheme(QApplication& app);

/// 12 px body, 13 px semibold titles, 11 px captions; figures of one width where numbers stand in columns.
QFont bodyFont();
QFont titleFont();
QFont captionFont();

/// A line icon in the given colour, sharp at any scale.
QIcon icon(const QString& name, const QColor& colour);
QIcon icon(const QString& name);

/// Hue of the n-th mover: its tails, points and path.
QColor moverColour(int n);

/// Residual scale: cividis (Nuñez, Anderton & Renslow, "Optimizing colormaps with consideration for color vision
/// deficiency", PLoS ONE 2018), cut to start at #404c6c so that the low end reads on dark pictures. t in 0..1.
QColor residualColour(double t);

}  // namespace va
