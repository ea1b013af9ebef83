// SPDX-License-Identifier: GPL-3.0-or-later
#include "inspector/number_field.h"

#include <QFocusEvent>
#include <cmath>
#include <cstring>
#include <utility>

namespace va {
namespace {

/// Recursive descent over: sum = product {(+|-) product}; product = factor {(*|/) factor}; factor = [-] number | ( sum
/// ).
class Expression {
  public:
    explicit Expression(const QByteArray& text, bool lengths = false) : at_(text.constData()), lengths_(lengths) {}
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
        return lengths_ ? v * unit() : v;
    }
    /// Metres of the unit that stands here; 1 where none does. Longer words first: "m" begins "mm".
    double unit() {
        static constexpr std::pair<const char*, double> units[] = {{"mm", 0.001},  {"cm", 0.01},   {"in", 0.0254},
                                                                   {"ft", 0.3048}, {"yd", 0.9144}, {"m", 1}};
        skip();
        for (const auto& [word, metres] : units)
            if (std::strncmp(at_, word, std::strlen(word)) == 0) {
                at_ += std::strlen(word);
                return metres;
            }
        return 1;
    }
    const char* at_;
    bool lengths_;
    int depth_ = 0;
};

}  // namespace

std::optional<double> evaluateExpression(const QString& text) {
    QString plain = text;
    plain.replace(QChar(0x2212), '-').replace(',', '.');
    const QByteArray bytes = plain.toLatin1();
    return Expression(bytes).whole();
}

std::optional<double> evaluateEntry(const QString& text, double now, bool lengths) {
    QString plain = text.trimmed();
    plain.replace(QChar(0x2212), '-').replace(',', '.');
    const char how = plain.size() > 2 && plain[1] == '=' ? plain[0].toLatin1() : '\0';
    const bool relative = how == '+' || how == '-' || how == '*' || how == '/';
    const QByteArray bytes = (relative ? plain.mid(2) : plain).toLatin1();
    // What multiplies is no length.
    const auto v = Expression(bytes, lengths && how != '*' && how != '/').whole();
    if (!v || !relative) return v;
    const double out = how == '+' ? now + *v : how == '-' ? now - *v : how == '*' ? now * *v : now / *v;
    return std::isfinite(out) ? std::optional(out) : std::nullopt;
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
    // What was entered is done with; another value may have come since, by undo.
    else if (!isModified()) setText(QString::number(value_, 'g', 15));
}

void NumberField::reset(double value) {
    value_ = value;
    showRounded();
}

void NumberField::showRounded() {
    QString shown = QString::number(value_, 'f', decimals_);
    // A nothing has no sign.
    if (shown.startsWith('-') && shown.toDouble() == 0) shown.remove(0, 1);
    setText(shown);
}

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
    if (!isModified()) return;
    setModified(false);
    const auto v = evaluateEntry(text(), value_, lengths_);
    if (!v || *v == value_) return;
    value_ = *v;
    // What was entered from where it was must not be entered once more.
    setText(QString::number(value_, 'g', 15));
    Q_EMIT edited(value_);
}

}  // namespace va
