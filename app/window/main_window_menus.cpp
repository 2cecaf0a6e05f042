// The window's menus, its tabs and its status line.

#include "app/compare/review_dialog.h"
#include "app/window/ear_dialog.h"
#include "app/window/key_sheet.h"
#include "app/window/main_window.h"

#include <QApplication>
#include <QHBoxLayout>
#include <QMenuBar>
#include <QMessageBox>
#include <QStatusBar>

#include <algorithm>
#include <functional>

namespace ember::app {

void MainWindow::buildStatus() {
    statusBar()->setSizeGripEnabled(false);
    message_ = new QLabel(this);
    message_->setObjectName("message");
    message_->setTextFormat(Qt::PlainText);
    message_->setSizePolicy(QSizePolicy::Ignored,
                            QSizePolicy::Preferred);  // gives way to the facts beside it
    device_ = new QLabel(this);
    load_ = new QLabel(this);
    saved_ = new QLabel(this);
    device_->setObjectName("device");
    statusBar()->addWidget(message_, 1);
    for (QLabel* label : {device_, load_, saved_}) {
        label->setProperty("quiet", true);
        label->setContentsMargins(8, 0, 8, 0);
        statusBar()->addPermanentWidget(label);
    }
}

void MainWindow::buildMenus() {
    const auto add = [this](QMenu* menu, const QString& text, const QKeySequence& keys,
                            auto&& what) {
        QAction* action = menu->addAction(text);
        action->setShortcut(keys);
        connect(action, &QAction::triggered, this, what);
        return action;
    };
    QMenu* session = menuBar()->addMenu(tr("&Session"));
    add(session, tr("New from recordings …"), QKeySequence::New, [this] {
        if (!mayLeave()) return;
        workspace_.close();
        intake_->startOver();
        pages_->setCurrentWidget(intake_);
    });
    add(session, tr("New programmed kit of one-shots …"),
        QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_N), [this] { chooseKit(); });
    add(session, tr("Open …"), QKeySequence::Open, [this] { chooseSession(); });
    add(session, tr("Add recordings …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_O),
        [this] { addRecordings(); });
    recent_ = session->addMenu(tr("Recent"));
    connect(recent_, &QMenu::aboutToShow, this, &MainWindow::fillRecent);
    fillRecent();
    add(session, tr("Open the demo kit"), {}, [this] {
        if (!mayLeave()) return;
        pages_->setCurrentWidget(intake_);
        intake_->takeDemo({});
    });
    add(session, tr("Open the programmed demo"), {}, [this] { openProgrammedDemo(); });
    session->addSeparator();
    add(session, tr("Save"), QKeySequence::Save, [this] { save(); });
    add(session, tr("Save as …"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_S),
        [this] { saveAs(); });
    session->addSeparator();
    QMenu* style = session->addMenu(tr("Style of the music"));
    style->setObjectName("style-menu");
    connect(style, &QMenu::aboutToShow, this, [this, style] { fillStyles(style); });
    fillStyles(style);
    add(session, tr("Deliver …"), QKeySequence(Qt::CTRL | Qt::Key_R), [this] { deliver(); });
    session->addSeparator();
    add(session, tr("Quit"), QKeySequence::Quit, [this] { close(); });

    QMenu* edit = menuBar()->addMenu(tr("&Edit"));
    undo_ = add(edit, tr("Undo"), QKeySequence::Undo, [this] { workspace_.undo(); });
    redo_ = add(edit, tr("Redo"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_Z),
                [this] { workspace_.redo(); });

    QMenu* view = menuBar()->addMenu(tr("&View"));
    add(view, tr("Board"), QKeySequence(Qt::CTRL | Qt::Key_B), [this] {
        if (!workspace_.empty()) showBoard();
    });
    add(view, tr("Hits"), QKeySequence(Qt::CTRL | Qt::Key_H), [this] {
        if (!workspace_.empty()) showHits();
    });
    add(view, tr("Kit"), QKeySequence(Qt::CTRL | Qt::Key_K), [this] {
        if (!workspace_.empty()) showKit();
    });
    add(view, tr("Flow"), QKeySequence(Qt::CTRL | Qt::Key_F), [this] {
        if (!workspace_.empty()) showFlow();
    });
    add(view, tr("Bleed"), QKeySequence(Qt::CTRL | Qt::SHIFT | Qt::Key_F), [this] {
        if (!workspace_.empty()) showFlow(FlowSide::bleed);
    });
    add(view, tr("Low end"), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_F), [this] {
        if (!workspace_.empty()) showFlow(FlowSide::lowEnd);
    });
    add(view, tr("Layers"), QKeySequence(Qt::CTRL | Qt::Key_Y), [this] {
        if (!workspace_.empty()) showLayers();
    });
    add(view, tr("Compare"), QKeySequence(Qt::CTRL | Qt::Key_D), [this] {
        if (!workspace_.empty()) showCompare();
    });
    add(view, tr("A record beside the mix"), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_D), [this] {
        if (!workspace_.empty()) showReference();
    });
    add(view, tr("Logbook and delivery"), QKeySequence(Qt::CTRL | Qt::Key_L), [this] {
        if (!workspace_.empty()) showLogbook();
    });
    add(view, tr("Work order"), QKeySequence(Qt::CTRL | Qt::ALT | Qt::Key_L),
        [this] { showWork(); });
    add(view, tr("Taller rows"), QKeySequence::ZoomIn,
        [this] { board_->setRowHeight(board_->rowHeight() + 6); });
    add(view, tr("Flatter rows"), QKeySequence::ZoomOut,
        [this] { board_->setRowHeight(board_->rowHeight() - 6); });
    showEvidence_ =
        add(view, tr("Evidence"), QKeySequence(Qt::Key_E), [this] { refreshEvidence(); });
    showEvidence_->setCheckable(true);
    showEvidence_->setChecked(true);
    view->addSeparator();
    add(view, tr("Transient ledger of this row"), QKeySequence(Qt::Key_T),
        [this] { showLedger(); });
    add(view, tr("Test the order of this step and the next"), QKeySequence(Qt::Key_X),
        [this] { testOrder(); });
    add(view, tr("Review of the chains"), QKeySequence(Qt::Key_V), [this] {
        if (workspace_.empty()) return say(tr("Open a session first."));
        auto* dialog = new ReviewDialog(workspace_, tracer_, this);
        dialog->setAttribute(Qt::WA_DeleteOnClose);
        connect(dialog, &ReviewDialog::chosen, this,
                [this](const std::string& row, const std::string& stage) {
                    const Row* r = findRow(workspace_.session(), row);
                    const Stage* s = r != nullptr ? findStage(*r, stage) : nullptr;
                    if (s != nullptr) return showBench({row, processorType(s->type).home});
                    showBoard();
                    board_->select({row, std::nullopt});
                });
        connect(dialog, &ReviewDialog::blindAsked, this, [this](const MixChoice& without) {
            showCompare();
            compare_->testBlindly(without);
        });
        dialog->show();
    });
    view->addSeparator();
    add(view, tr("Dark look"), {}, [this] { setLook(0); });
    add(view, tr("Light look"), {}, [this] { setLook(1); });

    QMenu* sound = menuBar()->addMenu(tr("S&ound"));
    add(sound, tr("Play or stop"), QKeySequence(Qt::Key_Space), [this] { player_.toggle(); });
    add(sound, tr("To the start"), QKeySequence(Qt::CTRL | Qt::Key_Home),
        [this] { player_.seek(0.0); });
    add(sound, tr("Loop"), QKeySequence(Qt::Key_L), [this] {
        if (!workspace_.empty()) top_->toggleLoop();
    });
    add(sound, tr("Loop the next spot"), QKeySequence(Qt::Key_N), [this] {
        if (!workspace_.empty()) top_->stepSpot(1);
    });
    add(sound, tr("Loop the spot before"), QKeySequence(Qt::SHIFT | Qt::Key_N), [this] {
        if (!workspace_.empty()) top_->stepSpot(-1);
    });
    add(sound, tr("Note the loop as a spot"), QKeySequence(Qt::CTRL | Qt::Key_M), [this] {
        if (!workspace_.empty()) top_->noteSpot();
    });
    add(sound, tr("Before or after"), QKeySequence(Qt::Key_B),
        [this] { compare(!player_.hearingBefore()); });
    groups_ = new GroupMenu(workspace_, player_, options_.remember, sound);
    connect(groups_, &GroupMenu::said, this, [this](const QString& sentence) { say(sentence); });
    sound->addMenu(groups_);
    sound->addSeparator();
    add(sound, tr("Freeze rows …"), QKeySequence(Qt::CTRL | Qt::Key_G), [this] { showFreeze(); });
    add(sound, tr("Loud listening …"), {}, [this] { EarDialog(ear_, this).exec(); });
    add(sound, tr("Device …"), {}, [this] { chooseDevice(); });

    QMenu* help = menuBar()->addMenu(tr("&Help"));
    add(help, tr("Manual"), QKeySequence::HelpContents, [this] { showManual(); });
    add(help, tr("Guide"), {}, [this] { showGuide(); });
    add(help, tr("Keys"), QKeySequence(Qt::CTRL | Qt::Key_Slash), [this] {
        auto* sheet = new KeySheet(*menuBar(), this);
        sheet->setAttribute(Qt::WA_DeleteOnClose);
        sheet->show();
    });
    add(help, tr("About Ember Cask"), {}, [this] {
        QMessageBox::about(this, tr("About Ember Cask"),
                           tr("<b>Ember Cask %1</b><br>Drum mixing that measures, proposes, proves "
                              "and writes down.<br>The person decides.<br><br>GPL-3.0-or-later")
                               .arg(QApplication::applicationVersion()));
    });
    edit->addSeparator();
    add(edit, tr("Take a snapshot …"), QKeySequence(Qt::CTRL | Qt::Key_T), [this] {
        if (!workspace_.empty()) askSnapshot(this, clips_);
    });
    edit->addSeparator();
    add(edit, tr("Accept what is proposed"), QKeySequence(Qt::Key_A), [this] { acceptProposal(); });
    add(edit, tr("Accept the whole kit’s alignment"), QKeySequence(Qt::SHIFT | Qt::Key_A),
        [this] { acceptStep("align"); });
    add(edit, tr("Accept the whole kit’s gates"), {}, [this] { acceptStep("gate"); });
    add(edit, tr("First pass over the whole kit …"), QKeySequence(Qt::Key_P), [this] {
        if (workspace_.empty()) return say(tr("Open a session first."));
        showFirstPass();
    });
    for (QAction* action : menuBar()->actions()) addAction(action);
}

// Where one is and can go, at the end of the menu bar's line.
void MainWindow::buildTabs() {
    auto* tabs = new QWidget(menuBar());
    auto* line = new QHBoxLayout(tabs);
    line->setContentsMargins(0, 3, 10, 1);
    line->setSpacing(4);
    const auto tab = [&](const QString& text, const QString& help) {
        auto* button = new QPushButton(text, tabs);
        button->setCheckable(true);
        button->setToolTip(help);
        // As flat as the menus beside it.
        button->setStyleSheet("padding: 0 10px; min-height: 18px;");
        line->addWidget(button);
        return button;
    };
    struct Tab {
        QPushButton* button;
        std::vector<QWidget*> pages;  // of which any may be shown
    };
    const std::vector<Tab> all{
        {tab(tr("Board"), tr("The whole mix as one table (Ctrl+B).")), {board_, bench_}},
        {tab(tr("Hits"), tr("Every stroke on the recordings (Ctrl+H).")), {hits_}},
        {tab(tr("Layers"), tr("Sounds that strokes start: stacks and support (Ctrl+Y).")),
         {layers_}},
        {tab(tr("Kit"), tr("Where the drums stand between left and right (Ctrl+K).")), {kit_}},
        {tab(tr("Flow"),
             tr("Who feeds whom: buses, sends, room and latency (Ctrl+F); every drum in "
                "every microphone (Ctrl+Shift+F); kick and bass alone (Ctrl+Alt+F).")),
         {flow_}},
        {tab(tr("Compare"),
             tr("Two mixes beside each other, equally loud (Ctrl+D); a record beside "
                "the mix (Ctrl+Alt+D).")),
         {compare_, reference_}},
        {tab(tr("Logbook"), tr("What was done and why, and what is looked at before a mix leaves "
                               "the house (Ctrl+L).")),
         {logbook_}}};
    const std::vector<std::function<void()>> shows{
        [this] { showBoard(); }, [this] { showHits(); }, [this] { showLayers(); },
        [this] { showKit(); },
        // The side that was shown last.
        [this] { showFlow(flow_->side()); }, [this] { showCompare(); }, [this] { showLogbook(); }};
    menuBar()->setCornerWidget(tabs);
    const auto refresh = [this, tabs, all] {
        const QWidget* page = pages_->currentWidget();
        tabs->setVisible(page != intake_);
        for (const Tab& one : all)
            one.button->setChecked(std::find(one.pages.begin(), one.pages.end(), page) !=
                                   one.pages.end());
    };
    connect(pages_, &QStackedWidget::currentChanged, this, refresh);
    for (std::size_t i = 0; i < all.size(); ++i) {
        connect(all[i].button, &QPushButton::clicked, this, [show = shows[i], refresh] {
            show();
            refresh();
        });
    }
    refresh();
}

// What is called usual beside a proposed value goes by it.
void MainWindow::fillStyles(QMenu* menu) {
    menu->clear();
    if (workspace_.empty()) {
        menu->addAction(tr("Open a session first"))->setEnabled(false);
        return;
    }
    for (const Style style : {Style::any, Style::pop, Style::rock, Style::heavy, Style::soul,
                              Style::jazz, Style::electronic}) {
        QAction* action = menu->addAction(QString::fromUtf8(styleLabel(style)));
        action->setCheckable(true);
        action->setChecked(workspace_.session().style == style);
        connect(action, &QAction::triggered, this, [this, style] {
            Session next = workspace_.session();
            next.style = style;
            workspace_.edit(std::move(next));
        });
    }
}

}  // namespace ember::app
