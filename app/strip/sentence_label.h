// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLabel>

namespace va {

/// A sentence that is always shown whole: on one line where it fits, else smaller and on as many lines as it takes.
class SentenceLabel : public QLabel {
    Q_OBJECT
  public:
    explicit SentenceLabel(QWidget* parent = nullptr);
    void say(const QString& sentence);
    [[nodiscard]] QSize minimumSizeHint() const override { return {120, 20}; }

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    void fit();
};

}  // namespace va
