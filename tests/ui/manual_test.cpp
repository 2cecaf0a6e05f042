// The manual beside the work: where it opens, what is found in it, and its pictures.
#include "app/window/manual_window.h"
#include "tests/ui/ui_support.h"

#include <QAction>
#include <QMenuBar>
#include <QScrollBar>
#include <QTextBlock>

namespace ember {
namespace {

using app::ManualWindow;
using test::Window;

void ask(const Window& window) {
    for (QAction* menu : window->menuBar()->actions()) {
        for (QAction* action : menu->menu()->actions()) {
            if (action->text() == "Manual") return action->trigger();
        }
    }
    FAIL() << "there is no manual in the menus";
}

TEST(Manual, OpensWhereOneIsAndStaysOpen) {
    const Window window;
    ASSERT_TRUE(window.settle());
    window->showHits();
    ask(window);
    ManualWindow* manual = window->manual();
    ASSERT_NE(manual, nullptr);
    EXPECT_TRUE(manual->isVisible());
    EXPECT_EQ(manual->chapter(), "Hits");
    EXPECT_GE(manual->chapters().count(), 12);
    const int hits = manual->text().verticalScrollBar()->value();
    EXPECT_GT(hits, 0);
    window->showFlow(app::FlowSide::lowEnd);
    ask(window);
    EXPECT_EQ(window->manual(), manual) << "one window, which goes there";
    EXPECT_EQ(manual->chapter(), "Low end");
    EXPECT_GT(manual->text().verticalScrollBar()->value(), hits);
    // What is scrolled to is shown in the list.
    manual->text().verticalScrollBar()->setValue(0);
    EXPECT_EQ(manual->chapters().currentRow(), 0);
    QTest::keyClick(manual, Qt::Key_Escape);
    EXPECT_FALSE(manual->isVisible());
}

TEST(Manual, FindsWordsAndShowsEveryPicture) {
    const Window window;
    ask(window);
    ManualWindow& manual = *window->manual();
    auto* find = manual.findChild<QLineEdit*>("manual-find");
    find->setFocus();
    QTest::keyClicks(find, "ghost");
    EXPECT_EQ(manual.text().textCursor().selectedText().toLower(), "ghost");
    const int first = manual.text().textCursor().position();
    QTest::keyClick(find, Qt::Key_Return);
    EXPECT_GT(manual.text().textCursor().position(), first);
    QTest::keyClick(find, Qt::Key_Return, Qt::ShiftModifier);
    EXPECT_EQ(manual.text().textCursor().position(), first);
    find->setText("there is no such line");
    EXPECT_FALSE(manual.findChild<QLabel*>("manual-found")->text().isEmpty());
    int pictures = 0;
    const QTextDocument& text = *manual.text().document();
    for (QTextBlock block = text.begin(); block.isValid(); block = block.next()) {
        for (auto part = block.begin(); !part.atEnd(); ++part) {
            const QTextImageFormat image = part.fragment().charFormat().toImageFormat();
            if (!image.isValid()) continue;
            ++pictures;
            EXPECT_TRUE(manual.text()
                            .loadResource(QTextDocument::ImageResource, QUrl(image.name()))
                            .isValid())
                << image.name().toStdString();
        }
    }
    EXPECT_GE(pictures, 8);
}

TEST(Guide, WalksThroughThePagesAndStopsWhenItIsEnough) {
    const Window window;
    ASSERT_TRUE(window.settle());
    app::GuideBar& guide = window->guide();
    EXPECT_FALSE(guide.isVisible()) << "it is offered to people, not to tests";
    window->showGuide();
    ASSERT_TRUE(guide.isVisible());
    auto* next = guide.findChild<QPushButton*>("guide-next");
    std::vector<bool> seen(4, false);
    for (int step = 0; step < guide.steps(); ++step) {
        EXPECT_EQ(guide.step(), step);
        EXPECT_FALSE(guide.findChild<QLabel*>("guide-text")->text().isEmpty());
        seen[0] = seen[0] || window->board().isVisible();
        seen[1] = seen[1] || window->bench().isVisible();
        seen[2] = seen[2] || window->comparison().isVisible();
        seen[3] = seen[3] || window->logbook().isVisible();
        QTest::keyClick(next, Qt::Key_Return);
    }
    EXPECT_FALSE(guide.isVisible());
    for (const bool page : seen) EXPECT_TRUE(page);
    window->showGuide();
    EXPECT_EQ(guide.step(), 0) << "from the beginning again";
    QTest::keyClick(guide.findChild<QPushButton*>("guide-end"), Qt::Key_Return);
    EXPECT_FALSE(guide.isVisible());
}

}  // namespace
}  // namespace ember
