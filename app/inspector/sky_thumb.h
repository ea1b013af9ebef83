// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <QImage>
#include <QWidget>
#include <optional>

namespace va {

/// The sky picture, small: all directions, the zenith at the top. A click marks a spot.
class SkyThumb : public QWidget {
    Q_OBJECT
  public:
    explicit SkyThumb(QWidget* parent = nullptr);
    /// Reads the file once; hidden where there is none or it can't be read.
    void show(const std::string& file, const std::optional<Eigen::Vector2d>& spot);
    [[nodiscard]] QSize sizeHint() const override { return {220, 110}; }

  Q_SIGNALS:
    void marked(const Eigen::Vector2d& spot);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    std::string file_;
    QImage image_;
    std::optional<Eigen::Vector2d> spot_;
};

}  // namespace va
