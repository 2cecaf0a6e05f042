#include "print/recall_pages.h"

#include "print/fonts.h"

#include <QAbstractTextDocumentLayout>
#include <QImage>
#include <QPainter>
#include <QPalette>
#include <QUrl>

#include <cmath>

namespace ember {
namespace {

constexpr int kFontPixels = 11;
constexpr int kWide = 300, kHigh = 110;  // of a curve
constexpr double kFoot = 22.0;
constexpr double kPictureSharp = 3.0;  // pixels of a curve's picture in one of the page
const QColor kGrid("#E0D6C8"), kEdge("#CFC2B0"), kCurve("#C2501E"), kInk("#2B241D"),
    kQuiet("#6B5F52");

QFont pageFont() {
    QFont font("Inter");
    font.setPixelSize(kFontPixels);
    // Shaped, minus signs become glyphs of their own beside figures, which nobody could copy out of
    // the PDF any more.
    font.setStyleStrategy(QFont::PreferNoShaping);
    return font;
}

QImage drawn(const RecallCurve& curve) {
    QImage image(static_cast<int>(kWide * kPictureSharp), static_cast<int>(kHigh * kPictureSharp),
                 QImage::Format_RGB32);
    image.fill(Qt::white);
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.scale(kPictureSharp, kPictureSharp);
    const bool logs = curve.kind == RecallCurve::Kind::response;
    const auto on = [&](double v) { return logs ? std::log(v) : v; };
    const auto across = [&](double x) {
        return kWide * (on(x) - on(curve.fromX)) / (on(curve.toX) - on(curve.fromX));
    };
    const auto down = [&](double y) {
        return kHigh * (1.0 - (y - curve.fromY) / (curve.toY - curve.fromY));
    };
    painter.setPen(QPen(kGrid, 0.7));
    if (logs) {
        for (const double hertz : {50.0, 100.0, 200.0, 500.0, 1000.0, 2000.0, 5000.0, 10000.0})
            painter.drawLine(QPointF(across(hertz), 0.0), QPointF(across(hertz), kHigh));
        for (double db = curve.fromY + 6.0; db < curve.toY; db += 6.0)
            painter.drawLine(QPointF(0.0, down(db)), QPointF(kWide, down(db)));
    } else {
        for (double db = curve.fromX + 10.0; db < curve.toX; db += 10.0) {
            painter.drawLine(QPointF(across(db), 0.0), QPointF(across(db), kHigh));
            painter.drawLine(QPointF(0.0, down(db)), QPointF(kWide, down(db)));
        }
        painter.drawLine(QPointF(0.0, kHigh), QPointF(kWide, 0.0));
    }
    painter.setPen(QPen(kEdge, 1.0));
    painter.drawRect(QRectF(0.5, 0.5, kWide - 1.0, kHigh - 1.0));
    painter.setPen(QPen(kCurve, 1.8));
    QPolygonF line;
    for (const auto& [x, y] : curve.points) line << QPointF(across(x), down(y));
    painter.drawPolyline(line);
    return image;
}

void addCurves(const RecallSheet& sheet, QTextDocument& page) {
    int picture = 0;
    for (const RecallRow& row : sheet.rows) {
        for (const RecallStep& step : row.steps) {
            if (!step.on || !step.curve) continue;
            QImage image = drawn(*step.curve);
            image.setDevicePixelRatio(kPictureSharp);
            page.addResource(QTextDocument::ImageResource, QUrl(QString("curve-%1").arg(++picture)),
                             image);
        }
    }
}

}  // namespace

RecallPages::RecallPages(const RecallSheet& sheet, const QSizeF& paper)
    : name_(QString::fromStdString(sheet.name)), text_(paper.width(), paper.height() - kFoot) {
    loadFonts();
    document_.setDefaultFont(pageFont());
    document_.setDocumentMargin(0.0);
    addCurves(sheet, document_);
    document_.setHtml(QString::fromStdString(recallHtml(sheet, RecallPictures::named)));
    document_.setPageSize(text_);
}

void RecallPages::paint(QPainter& painter, int page) const {
    const double top = page * text_.height();
    painter.save();
    painter.translate(0.0, -top);
    QAbstractTextDocumentLayout::PaintContext context;
    context.palette.setColor(QPalette::Text, kInk);
    context.clip = QRectF(0.0, top, text_.width(), text_.height());
    painter.setClipRect(context.clip);
    document_.documentLayout()->draw(&painter, context);
    painter.restore();
    painter.setFont(pageFont());
    painter.setPen(kQuiet);
    painter.drawText(QRectF(0.0, text_.height(), text_.width(), kFoot),
                     Qt::AlignRight | Qt::AlignBottom,
                     QString("%1, %2 / %3").arg(name_).arg(page + 1).arg(count()));
}

}  // namespace ember
