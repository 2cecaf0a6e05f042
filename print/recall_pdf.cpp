#include "print/recall_pdf.h"

#include "core/base/error.h"
#include "core/session/file.h"
#include "print/recall_pages.h"

#include <QBuffer>
#include <QGuiApplication>
#include <QPainter>
#include <QPdfWriter>

#include <memory>

namespace ember {
namespace {

constexpr int kDpi = 200;
constexpr double kSharp = kDpi / 96.0;  // dots in one pixel of the pages

}  // namespace

void writeRecallPdf(const RecallSheet& sheet, const std::filesystem::path& file) {
    std::unique_ptr<QGuiApplication> application;
    if (QCoreApplication::instance() == nullptr) {
        qputenv("QT_QPA_PLATFORM", "offscreen");
        static int count = 1;
        static char name[] = "ember-cask";
        static char* arguments[] = {name, nullptr};
        application = std::make_unique<QGuiApplication>(count, arguments);
    }
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setResolution(kDpi);
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(16, 14, 16, 14), QPageLayout::Millimeter);
    writer.setTitle(QString::fromStdString(sheet.name));
    writer.setCreator("Ember Cask");
    const RecallPages pages(sheet, QSizeF(writer.width(), writer.height()) / kSharp);
    QPainter painter(&writer);
    painter.scale(kSharp, kSharp);
    for (int n = 0; n < pages.count(); ++n) {
        if (n > 0) writer.newPage();
        pages.paint(painter, n);
    }
    painter.end();
    writeAtomically(file, bytes.toStdString(), false);
}

void writeRecall(const RecallSheet& sheet, const std::filesystem::path& file) {
    const std::string kind = file.extension().string();
    if (kind == ".pdf") return writeRecallPdf(sheet, file);
    if (kind != ".html" && kind != ".md" && kind != ".csv")
        throw Error("“" + file.filename().string() +
                    "” should end in .html, .pdf, .csv or .md; that says what is written.");
    writeAtomically(file,
                    kind == ".html" ? recallHtml(sheet)
                                    : (kind == ".md" ? recallMarkdown(sheet) : recallCsv(sheet)),
                    false);
}

}  // namespace ember
