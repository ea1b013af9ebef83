// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAction>
#include <QElapsedTimer>
#include <QFrame>
#include <QLineEdit>
#include <QTimer>

#include "document/document.h"
#include "plate_view/plate_canvas.h"
#include "strip/lanes.h"
#include "strip/sentence_label.h"

namespace va {

/// Transport, frame, the verdict of the step in hand, and the drawer's words, above the lanes. Owns playback.
class Strip : public QFrame {
    Q_OBJECT
  public:
    Strip(Document& document, PlateCanvas& plate, const QList<QAction*>& transport, const QList<QAction*>& drawer,
          QWidget* parent = nullptr);
    void setPlaying(bool playing);
    [[nodiscard]] bool playing() const { return timer_.isActive(); }
    /// The step whose verdict is shown.
    void setStep(Step step);
    /// Says something else until the shot or the step changes.
    void setSentence(const Verdict& verdict);

  Q_SIGNALS:
    void playingChanged(bool playing);
    void keyDragged(int from, int to);

  private:
    void tick();
    void showFrame();
    void refresh();
    Document& document_;
    PlateCanvas& plate_;
    QLineEdit* frame_;
    QLabel* lamp_;
    SentenceLabel* sentence_;
    Step step_ = Step::plate;
    QTimer timer_;
    QElapsedTimer clock_;
    qint64 played_ = 0;
};

}  // namespace va
