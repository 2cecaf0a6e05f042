// Rows, sentences and levels as the window writes them.
#pragma once

#include "app/widgets/figures.h"
#include "core/session/session.h"

#include <QObject>
#include <QStringList>

#include <string>
#include <vector>

namespace ember::app {

inline QString rowName(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    return QString::fromStdString(row != nullptr ? row->name : id);
}

inline QStringList sentences(const std::vector<std::string>& texts) {
    QStringList out;
    for (const std::string& text : texts) out << QString::fromStdString(text);
    return out;
}

inline QString decibels(double db) {
    return QObject::tr("%1 dB").arg(change(db));
}

}  // namespace ember::app
