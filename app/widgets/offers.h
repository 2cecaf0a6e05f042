// A panel at the side of a page, and what it offers to do.
#pragma once

#include "app/widgets/labels.h"

#include <QScrollArea>
#include <QVBoxLayout>

#include <functional>

namespace ember::app {

// A panel that scrolls up and down alone: what is put into the page, and where its parts go.
struct SidePanel {
    QScrollArea* area;
    QVBoxLayout* parts;
};
inline SidePanel sidePanel(int width, QWidget* parent) {
    auto* area = new QScrollArea(parent);
    area->setFixedWidth(width);
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    auto* panel = new QWidget(area);
    auto* parts = new QVBoxLayout(panel);
    parts->setContentsMargins(0, 0, 14, 0);  // room for the bar
    parts->setSpacing(8);
    area->setWidget(panel);
    return {area, parts};
}

// What may be done, in words, and the button that does it as an edit.
inline QWidget* offer(const QString& words, const QString& object, QWidget* parent,
                      const std::function<void()>& make,
                      const QString& called = QObject::tr("Do it")) {
    auto* one = new QWidget(parent);
    auto* box = new QVBoxLayout(one);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(4);
    auto* text = new QLabel(words, one);
    text->setWordWrap(true);
    box->addWidget(text);
    auto* button = new QPushButton(called, one);
    button->setObjectName(object);
    button->setAccessibleName(called + QLatin1String(": ") + words);
    button->setToolTip(QObject::tr("As an edit with this reason; undo takes it back."));
    QObject::connect(button, &QPushButton::clicked, one, make);
    box->addWidget(button, 0, Qt::AlignLeft);
    return one;
}

}  // namespace ember::app
