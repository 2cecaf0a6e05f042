#include "app/window/manual_window.h"

#include "app/widgets/labels.h"

#include <QAbstractTextDocumentLayout>
#include <QFile>
#include <QHBoxLayout>
#include <QImage>
#include <QKeyEvent>
#include <QScrollBar>
#include <QTextBlock>
#include <QTextCursor>
#include <QVBoxLayout>

namespace ember::app {
namespace {

constexpr int kChapterLevel = 2;
constexpr int kPictureWidth = 680;  // px

// Reads pictures out of the program, no wider than the page.
class ManualText : public QTextBrowser {
  public:
    using QTextBrowser::QTextBrowser;
    QVariant loadResource(int type, const QUrl& name) override {
        if (type != QTextDocument::ImageResource) return QTextBrowser::loadResource(type, name);
        const QImage whole(":/" + name.path());
        return whole.isNull() ? QVariant()
                              : whole.scaledToWidth(kPictureWidth, Qt::SmoothTransformation);
    }
};

}  // namespace

ManualWindow::ManualWindow(QWidget* parent) : QWidget(parent, Qt::Window) {
    setObjectName("manual");
    setWindowTitle(tr("Manual"));
    resize(980, 720);
    auto* across = new QHBoxLayout(this);
    across->setContentsMargins(10, 10, 10, 10);
    across->setSpacing(10);
    auto* left = new QVBoxLayout;
    find_ = new QLineEdit(this);
    find_->setObjectName("manual-find");
    find_->setPlaceholderText(tr("Words to look for"));
    find_->setAccessibleName(tr("Words to look for in the manual"));
    find_->setToolTip(tr("Enter goes to the next place, Shift+Enter to the one before (Ctrl+F)."));
    find_->setClearButtonEnabled(true);
    left->addWidget(find_);
    found_ = quietLabel(this, "manual-found");
    left->addWidget(found_);
    chapters_ = new QListWidget(this);
    chapters_->setObjectName("manual-chapters");
    chapters_->setAccessibleName(tr("Chapters"));
    left->addWidget(chapters_, 1);
    across->addLayout(left, 1);
    text_ = new ManualText(this);
    text_->setObjectName("manual-text");
    text_->setAccessibleName(windowTitle());
    text_->setOpenExternalLinks(false);
    across->addWidget(text_, 4);
    find_->setMaximumWidth(230);
    chapters_->setMaximumWidth(230);
    found_->setMaximumWidth(230);
    connect(find_, &QLineEdit::textChanged, this, [this] {
        found_->clear();
        text_->moveCursor(QTextCursor::Start);
        if (!find_->text().isEmpty()) lookFor(false);
    });
    connect(chapters_, &QListWidget::currentItemChanged, this, [this](QListWidgetItem* item) {
        if (item == nullptr || going_) return;
        going_ = true;
        const QTextBlock block = text_->document()->findBlock(item->data(Qt::UserRole).toInt());
        text_->verticalScrollBar()->setValue(
            static_cast<int>(text_->document()->documentLayout()->blockBoundingRect(block).top()));
        going_ = false;
    });
    connect(text_->verticalScrollBar(), &QScrollBar::valueChanged, this, &ManualWindow::follow);
    fill();
}

void ManualWindow::fill() {
    QFile manual(":/manual.md");
    if (!manual.open(QIODevice::ReadOnly)) return;
    text_->setMarkdown(QString::fromUtf8(manual.readAll()));
    for (QTextBlock b = text_->document()->begin(); b.isValid(); b = b.next()) {
        // Room between paragraphs, which a document of this kind has none of.
        QTextBlockFormat roomy = b.blockFormat();
        roomy.setBottomMargin(8.0);
        // A picture is a line, and would get a fifth of itself as room.
        if (b.text() != QString(QChar::ObjectReplacementCharacter))
            roomy.setLineHeight(120.0, QTextBlockFormat::ProportionalHeight);
        QTextCursor(b).setBlockFormat(roomy);
        if (b.blockFormat().headingLevel() != kChapterLevel) continue;
        auto* item = new QListWidgetItem(b.text(), chapters_);
        item->setData(Qt::UserRole, b.position());
    }
}

void ManualWindow::open(const QString& chapter) {
    show();
    raise();
    activateWindow();
    const auto items = chapters_->findItems(chapter, Qt::MatchExactly);
    if (!items.isEmpty()) {
        // Also where it is the current one already, and something else is read.
        chapters_->setCurrentItem(nullptr);
        chapters_->setCurrentItem(items.front());
    }
    chapters_->setFocus();
}

QString ManualWindow::chapter() const {
    const QListWidgetItem* item = chapters_->currentItem();
    return item != nullptr ? item->text() : QString();
}

void ManualWindow::follow() {
    if (going_) return;
    const int top = text_->cursorForPosition(QPoint(4, 24)).position();
    int at = 0;
    for (int i = 0; i < chapters_->count(); ++i) {
        if (chapters_->item(i)->data(Qt::UserRole).toInt() <= top) at = i;
    }
    going_ = true;
    chapters_->setCurrentRow(at);
    going_ = false;
}

void ManualWindow::lookFor(bool backward) {
    const QTextDocument::FindFlags way =
        backward ? QTextDocument::FindBackward : QTextDocument::FindFlags{};
    if (text_->find(find_->text(), way)) return found_->clear();
    // Round the end.
    text_->moveCursor(backward ? QTextCursor::End : QTextCursor::Start);
    const bool found = text_->find(find_->text(), way);
    found_->setText(found ? tr("From the %1 on again.").arg(backward ? tr("end") : tr("beginning"))
                          : tr("These words are not in the manual."));
}

void ManualWindow::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Escape) {
        close();
    } else if (event->matches(QKeySequence::Find)) {
        find_->setFocus();
        find_->selectAll();
    } else if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) &&
               focusWidget() == find_) {
        lookFor(event->modifiers().testFlag(Qt::ShiftModifier));
    } else {
        QWidget::keyPressEvent(event);
    }
}

}  // namespace ember::app
