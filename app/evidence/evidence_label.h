// The panel's lines of text, all of one make.
#pragma once

#include "app/theme/theme.h"

#include <QLabel>

namespace ember::app {

inline QLabel* evidenceLabel(QWidget* parent, int pixels, QFont::Weight weight, bool quiet) {
    auto* out = new QLabel(parent);
    out->setFont(face(pixels, weight));
    out->setWordWrap(true);
    out->setTextFormat(Qt::PlainText);
    if (quiet) out->setProperty("quiet", true);
    return out;
}

}  // namespace ember::app
