// The two looks: cooperage at night, and paper and oak by day.
#pragma once

#include <QColor>
#include <QFont>
#include <QString>

class QApplication;

namespace ember::app {

struct Palette {
    QColor coal;     // page
    QColor stave;    // panels
    QColor hoop;     // lines
    QColor chalk;    // text
    QColor quiet;    // second text
    QColor ember;    // what is active
    QColor honey;    // proposed
    QColor patina;   // decided
    QColor slate;    // references
    QColor alarm;    // attention, always with its spur
    QColor onEmber;  // text on ember
    QColor wave;     // audio in plots
};

enum class Look { dark, light };

const Palette& colours();
Look look();
// Fonts, style sheet and colours of the whole application; widgets repaint.
void applyLook(QApplication& application, Look look);

// The application's face with figures of one width, in pixels.
QFont face(int pixels, QFont::Weight weight = QFont::Normal);

// The hue of a group's hoop, outside the colours that carry a state. `index` counts groups.
QColor hoopColour(int index);

// The same colour, so much of it: 0 (nothing) to 255.
inline QColor faded(QColor colour, int alpha) {
    colour.setAlpha(alpha);
    return colour;
}

// WCAG contrast ratio of two colours, 1..21.
double contrast(const QColor& a, const QColor& b);

}  // namespace ember::app
