// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>
#include <optional>

namespace va {

/// Value of an arithmetic expression: numbers, + − * / and brackets, as in `36/1.6`. Comma counts as decimal point.
/// Nothing for anything else, division by zero included.
std::optional<double> evaluateExpression(const QString& text);

/// A number that shows rounded and edits in full precision; accepts expressions.
class NumberField : public QLineEdit {
    Q_OBJECT
  public:
    explicit NumberField(int shownDecimals, QWidget* parent = nullptr);
    void setValue(double value);
    [[nodiscard]] double value() const { return value_; }

  Q_SIGNALS:
    /// The artist entered another value.
    void edited(double value);

  protected:
    void focusInEvent(QFocusEvent* event) override;
    void focusOutEvent(QFocusEvent* event) override;

  private:
    void commit();
    void showRounded();
    int decimals_;
    double value_ = 0;
};

}  // namespace va
