// Files as people bring them: dropped, or chosen in a dialog.
#pragma once

#include <QCoreApplication>
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

// What a dialog that asks for recordings shows.
inline QString audioFiles() {
    return QCoreApplication::translate(
        "Files", "Audio (*.wav *.bwf *.aif *.aiff *.flac *.ogg *.caf *.w64 *.rf64);;All files (*)");
}

}  // namespace ember::app
