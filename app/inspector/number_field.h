// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>
#include <optional>

namespace va {

/// Value of an arithmetic expression: numbers, + − * / and brackets, as in `36/1.6`. Comma counts as decimal point.
/// Nothing for anything else, division by zero included.
std::optional<double> evaluateExpression(const QString& text);

/// The same of what may stand in a field that shows `now`: `+=0.1`, `-=`, `*=` and `/=` go on from there. With
/// `lengths` numbers may have a unit (mm, cm, m, in, ft, yd) and come out in metres.
std::optional<double> evaluateEntry(const QString& text, double now, bool lengths);

/// A number that shows rounded and edits in full precision; accepts expressions.
class NumberField : public QLineEdit {
    Q_OBJECT
  public:
    explicit NumberField(int shownDecimals, QWidget* parent = nullptr);
    void setValue(double value);
    /// The same, whatever is being typed: for a field that does something and goes back.
    void reset(double value);
    [[nodiscard]] double value() const { return value_; }
    /// A length in metres: takes units.
    void setLengths(bool on) { lengths_ = on; }

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
    bool lengths_ = false;
    double value_ = 0;
};

}  // namespace va
