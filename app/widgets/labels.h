// Labels and buttons as every page has them.
#pragma once

#include <QLabel>
#include <QPushButton>

namespace ember::app {

// What a page or a part of it is about.
inline QLabel* titleLabel(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setProperty("title", true);
    return label;
}

// Words that stay in the background, as many lines as they need; found by its name.
inline QLabel* quietLabel(QWidget* parent, const char* name) {
    auto* label = new QLabel(parent);
    label->setObjectName(name);
    label->setProperty("quiet", true);
    label->setWordWrap(true);
    return label;
}

inline QPushButton* namedButton(const QString& text, const char* name, const QString& tip,
                                QWidget* parent) {
    auto* button = new QPushButton(text, parent);
    button->setObjectName(name);
    button->setToolTip(tip);
    return button;
}

}  // namespace ember::app
