// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/number_field.h"

#include <QFocusEvent>
#include <cmath>

namespace va {
namespace {

/// Recursive descent over: sum = product {(+|-) product}; product = factor {(*|/) factor}; factor = [-] number | ( sum
/// ).
class Expression {
  public:
    explicit Expression(const QByteArray& text) : at_(text.constData()) {}
    std::optional<double> whole() {
        const auto v = sum();
        skip();
        return v && *at_ == 0 && std::isfinite(*v) ? v : std::nullopt;
    }

  private:
    void skip() {
        while (*at_ == ' ') ++at_;
    }
    bool take(char c) {
        skip();
        if (*at_ != c) return false;
        ++at_;
        return true;
    }
    std::optional<double> sum() {
        auto v = product();
        while (v) {
            if (take('+')) {
                const auto w = product();
                v = w ? std::optional(*v + *w) : std::nullopt;
            } else if (take('-')) {
                const auto w = product();
                v = w ? std::optional(*v - *w) : std::nullopt;
            } else break;
        }
        return v;
    }
    std::optional<double> product() {
        auto v = factor();
        while (v) {
            if (take('*')) {
                const auto w = factor();
                v = w ? std::optional(*v * *w) : std::nullopt;
            } else if (take('/')) {
                const auto w = factor();
                v = w && *w != 0 ? std::optional(*v / *w) : std::nullopt;
            } else break;
        }
        return v;
    }
    std::optional<double> factor() {
        if (++depth_ > 100) return std::nullopt;
        if (take('-')) {
            const auto v = factor();
            return v ? std::optional(-*v) : std::nullopt;
        }
        if (take('(')) {
            const auto v = sum();
            return take(')') ? v : std::nullopt;
        }
        skip();
        if (*at_ != '.' && (*at_ < '0' || *at_ > '9')) return std::nullopt;
        char* end = nullptr;
        const double v = std::strtod(at_, &end);
        at_ = end;
        return v;
    }
    const char* at_;
    int depth_ = 0;
};

}  // namespace

std::optional<double> evaluateExpression(const QString& text) {
    QString plain = text;
    plain.replace(QChar(0x2212), '-').replace(',', '.');
    const QByteArray bytes = plain.toLatin1();
    return Expression(bytes).whole();
}

NumberField::NumberField(int shownDecimals, QWidget* parent) : QLineEdit(parent), decimals_(shownDecimals) {
    setAlignment(Qt::AlignRight);
    setFixedWidth(92);
    connect(this, &QLineEdit::returnPressed, this, [this] {
        commit();
        selectAll();
    });
}

void NumberField::setValue(double value) {
    value_ = value;
    if (!hasFocus()) showRounded();
}

void NumberField::showRounded() { setText(QString::number(value_, 'f', decimals_)); }

void NumberField::focusInEvent(QFocusEvent* event) {
    QLineEdit::focusInEvent(event);
    setText(QString::number(value_, 'g', 15));
    selectAll();
}

void NumberField::focusOutEvent(QFocusEvent* event) {
    QLineEdit::focusOutEvent(event);
    commit();
    showRounded();
}

void NumberField::commit() {
    const auto v = evaluateExpression(text());
    if (!v || *v == value_) return;
    value_ = *v;
    Q_EMIT edited(value_);
}

}  // namespace va
