// The local files of a drop.
#pragma once

#include <QMimeData>
#include <QStringList>
#include <QUrl>

namespace ember::app {

inline QStringList droppedFiles(const QMimeData& dropped) {
    QStringList files;
    for (const QUrl& url : dropped.urls()) {
        if (url.isLocalFile()) files << url.toLocalFile();
    }
    return files;
}

}  // namespace ember::app
