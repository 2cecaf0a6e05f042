// Numbers as a person reads them: a real minus sign, and none before zero.
#pragma once

#include <QString>

#include <cmath>

namespace ember::app {

inline QString figure(double value, int decimals = 1) {
    QString text = QString::number(std::abs(value), 'f', decimals);
    if (value < 0.0 && text.toDouble() != 0.0) text.prepend(QChar(0x2212));
    return text;
}

// A difference: with a plus where it rises.
inline QString change(double value, int decimals = 1) {
    const QString text = figure(value, decimals);
    return value > 0.0 && text.toDouble() != 0.0 ? "+" + text : text;
}

}  // namespace ember::app
