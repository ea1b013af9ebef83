// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/residual_plot.h"

#include <QPainter>
#include <cmath>
#include <set>

#include "style/theme.h"

namespace va {

ResidualPlot::ResidualPlot(QWidget* parent) : QWidget(parent) {
    setObjectName("residualPlot");
    setAccessibleName(tr("Residuals over the frame"));
    setToolTip(tr("Each corner with its error, enlarged. Hatched: no corner there"));
    setMinimumHeight(140);
}

void ResidualPlot::show(const std::shared_ptr<const ChartCalibration>& chart) {
    chart_ = chart;
    setVisible(chart_ && !chart_->residuals.empty());
    update();
}

double ResidualPlot::enlarged() const {
    if (!chart_ || !(chart_->rmsPx > 0) || chart_->width <= 0) return 1;
    // The usual error takes a twenty-fifth of the width; steps of 1, 2, 5.
    const double wanted = chart_->width / 25.0 / chart_->rmsPx, power = std::pow(10, std::floor(std::log10(wanted)));
    return power * (wanted / power >= 5 ? 5 : wanted / power >= 2 ? 2 : 1);
}

void ResidualPlot::paintEvent(QPaintEvent*) {
    if (!chart_ || chart_->width <= 0) return;
    const Theme& theme = Theme::current();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double scale = std::min((width() - 2.0) / chart_->width, (height() - 16.0) / chart_->height);
    const QSizeF size(chart_->width * scale, chart_->height * scale);
    const QRectF frame(QPointF((width() - size.width()) / 2, 1), size);
    painter.fillRect(frame, theme.well);
    std::set<int> covered;
    for (const auto& r : chart_->residuals)
        if (r.used)
            covered.insert(std::clamp(int(r.pixel.x() * 8 / chart_->width), 0, 7) +
                           8 * std::clamp(int(r.pixel.y() * 6 / chart_->height), 0, 5));
    for (int cell = 0; cell < 48; ++cell) {
        if (covered.contains(cell)) continue;
        const QRectF part(frame.left() + cell % 8 * frame.width() / 8, frame.top() + cell / 8 * frame.height() / 6,
                          frame.width() / 8, frame.height() / 6);
        painter.fillRect(part, QBrush(theme.line, Qt::BDiagPattern));
    }
    const double times = enlarged();
    const auto place = [&](const Eigen::Vector2d& p) {
        return frame.topLeft() + QPointF((p.x() + 0.5) * scale, (p.y() + 0.5) * scale);
    };
    painter.setClipRect(frame);
    for (const auto& r : chart_->residuals) {
        QColor colour = r.used ? residualColour(r.error.norm() / (3 * std::max(1e-6, chart_->rmsPx))) : theme.textQuiet;
        painter.setPen(QPen(colour, r.used ? 1.2 : 0.8));
        painter.drawLine(place(r.pixel), place(r.pixel + times * r.error));
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour);
        if (r.used) painter.drawEllipse(place(r.pixel), 1.3, 1.3);
        else painter.drawRect(QRectF(place(r.pixel) - QPointF(1.5, 1.5), QSizeF(3, 3)));
    }
    painter.setClipping(false);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(theme.line);
    painter.drawRect(frame);
    painter.setFont(captionFont());
    painter.setPen(theme.textQuiet);
    painter.drawText(QRectF(0, frame.bottom() + 1, width(), 14), Qt::AlignCenter,
                     tr("errors × %1 · cover %2 %").arg(times, 0, 'f', 0).arg(100 * chart_->cover, 0, 'f', 0));
}

}  // namespace va
