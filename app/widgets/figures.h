// Numbers as a person reads them (core/base/number.h), for the window.
#pragma once

#include "core/base/number.h"

#include <QString>

namespace ember::app {

inline QString figure(double value, int decimals = 1) {
    return QString::fromStdString(numberText(value, decimals));
}

// A difference: with a plus where it rises.
inline QString change(double value, int decimals = 1) {
    return QString::fromStdString(changeText(value, decimals));
}

}  // namespace ember::app
