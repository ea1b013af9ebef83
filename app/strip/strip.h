// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAction>
#include <QElapsedTimer>
#include <QFrame>
#include <QLabel>
#include <QLineEdit>
#include <QTimer>

#include "document/document.h"
#include "plate_view/plate_canvas.h"
#include "workflow/verdict.h"

namespace va {

/// The lanes: cover, error, parallax over the frames; the playhead and the handles of the work range. Click or drag
/// scrubs.
class Lanes : public QWidget {
    Q_OBJECT
  public:
    explicit Lanes(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {600, 96}; }
    [[nodiscard]] double xOf(double frame) const;

  protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] int frameAt(double x) const;
    Document& document_;
    std::vector<Cover> cover_;
    enum class Drag { none, playhead, in, out } drag_ = Drag::none;
    FrameRange dragRange_;
};

/// Transport, frame, rate and the one sentence that matters, above the lanes. Owns playback.
class Strip : public QFrame {
    Q_OBJECT
  public:
    Strip(Document& document, PlateCanvas& plate, const QList<QAction*>& transport, QWidget* parent = nullptr);
    void setPlaying(bool playing);
    [[nodiscard]] bool playing() const { return timer_.isActive(); }
    void setSentence(const Verdict& verdict);

  Q_SIGNALS:
    void playingChanged(bool playing);

  private:
    void tick();
    void showFrame();
    void refresh();
    Document& document_;
    PlateCanvas& plate_;
    QLineEdit* frame_;
    QLabel *rate_, *lamp_, *sentence_;
    QTimer timer_;
    QElapsedTimer clock_;
    qint64 played_ = 0;
};

}  // namespace va
