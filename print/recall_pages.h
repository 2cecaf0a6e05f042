// The recall sheet laid out in pages, for whatever paints them.
#pragma once

#include "core/report/recall.h"

#include <QSizeF>
#include <QTextDocument>

class QPainter;

namespace ember {

// Needs an application (QGuiApplication); its thread alone.
class RecallPages {
  public:
    // Of a sheet of paper without its margins, in pixels of 1/96 inch.
    RecallPages(const RecallSheet& sheet, const QSizeF& paper);
    [[nodiscard]] int count() const { return document_.pageCount(); }
    // One page from the painter's origin on, its name and number at the foot. `page`: 0 to count().
    void paint(QPainter& painter, int page) const;

  private:
    QString name_;
    QSizeF text_;  // of a page without its foot
    QTextDocument document_;
};

}  // namespace ember
