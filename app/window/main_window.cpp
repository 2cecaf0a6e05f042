#include "app/window/main_window.h"

#include "app/board/row_menu.h"
#include "app/board/row_report_dialog.h"
#include "app/compare/draft_dialog.h"
#include "app/theme/theme.h"
#include "app/widgets/dropped_files.h"
#include "app/widgets/figures.h"
#include "app/window/deliver_dialog.h"
#include "app/window/freeze_dialog.h"
#include "core/base/error.h"

#include <QApplication>
#include <QCheckBox>
#include <QCloseEvent>
#include <QDateTime>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QMimeData>
#include <QProgressDialog>
#include <QPushButton>
#include <QRadioButton>
#include <QSettings>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <set>

namespace ember::app {
namespace {

constexpr int kMessageMs = 9000;

}  // namespace

MainWindow::MainWindow(const WindowOptions& options)
    : options_(options),
      workspace_(options.recoveryFolder),
      player_(workspace_, options.openDevice),
      tracer_(workspace_),
      listener_(workspace_),
      printer_(workspace_),
      clips_(workspace_, player_),
      ear_(options.remember) {
    setObjectName("main-window");
    setAcceptDrops(true);
    qApp->installEventFilter(this);
    resize(1280, 800);
    setMinimumSize(960, 600);
    auto* central = new QWidget(this);
    auto* box = new QVBoxLayout(central);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(0);
    top_ = new TopBar(workspace_, player_, listener_, ear_, central);
    overview_ = new Overview(workspace_, player_, tracer_, central);
    pages_ = new QStackedWidget(central);
    intake_ = new IntakePage(workspace_, pages_);
    board_ = new Board(workspace_, player_, tracer_, pages_);
    bench_ = new BenchPage({workspace_, player_, tracer_, listener_, printer_}, pages_);
    hits_ = new HitsPage(workspace_, player_, listener_, pages_);
    kit_ = new KitPage(workspace_, listener_, pages_);
    flow_ = new FlowPage(workspace_, tracer_, player_, listener_, pages_);
    layers_ =
        new LayersPage(workspace_, player_, listener_, {options.midi, options.remember}, pages_);
    compare_ = new ComparePage(workspace_, player_, listener_, clips_, pages_);
    reference_ = new ReferencePage(workspace_, listener_, player_, pages_);
    logbook_ = new LogbookPage(workspace_, player_, listener_, pages_);
    for (QWidget* page : std::initializer_list<QWidget*>{
             intake_, board_, bench_, hits_, kit_, flow_, layers_, compare_, reference_, logbook_})
        pages_->addWidget(page);
    box->addWidget(top_);
    box->addWidget(overview_);
    evidence_ = new EvidencePanel(workspace_, listener_, tracer_, central);
    auto* middle = new QHBoxLayout;
    middle->setSpacing(0);
    middle->addWidget(pages_, 1);
    middle->addWidget(evidence_);
    box->addLayout(middle, 1);
    guide_ = new GuideBar(guideSteps(), central);
    box->addWidget(guide_);
    setCentralWidget(central);
    overview_->hide();
    evidence_->hide();
    buildStatus();
    buildMenus();
    buildTabs();

    connect(intake_, &IntakePage::built, this, [this] {
        showBoard();
        offerGuide();
    });
    connect(intake_, &IntakePage::left, this, [this](const QString& why) {
        showBoard();
        if (!why.isEmpty()) say(why, true);
    });
    connect(intake_, &IntakePage::hearAsked, this, [this](const Session& session) {
        const bool silence = session.rows.empty();
        if (silence && !player_.previewing()) return;
        player_.preview(silence ? std::nullopt : std::optional(session));
        if (silence)
            player_.stop();
        else
            player_.play();
    });
    connect(board_, &Board::renameAsked, this,
            [this](const std::string& row) { askName(this, workspace_, row); });
    const auto rowMenu = [this](const std::string& row, const QPoint& at) {
        QMenu menu(this);
        fillRowMenu(menu, workspace_, player_, printer_, row, listener_.measured());
        menu.exec(at);
    };
    connect(board_, &Board::rowMenuAsked, this, rowMenu);
    connect(flow_, &FlowPage::rowMenuAsked, this, rowMenu);
    connect(flow_, &FlowPage::adviceAsked, this, [this] {
        if (!listener_.measured())
            return say(tr("The kit is still being listened to; ask again when it is known."));
        listener_.listenToBuses();
        showFirstPass();
    });
    connect(intake_, &IntakePage::wantOpen, this, &MainWindow::chooseSession);
    connect(board_, &Board::opened, this, &MainWindow::showBench);
    connect(bench_, &BenchPage::copyAsked, &listener_, &Listener::copyChain);
    connect(bench_, &BenchPage::left, this, &MainWindow::showBoard);
    connect(bench_, &BenchPage::moved, board_, &Board::select);
    connect(board_, &Board::selectionChanged, this, &MainWindow::refreshEvidence);
    connect(bench_, &BenchPage::moved, this, &MainWindow::refreshEvidence);
    connect(pages_, &QStackedWidget::currentChanged, this, &MainWindow::refreshEvidence);
    const auto showRow = [this](const std::string& row) {
        showBoard();
        board_->select({row, std::nullopt});
    };
    connect(&logbook_->deliver(), &DeliverPanel::rowAsked, this, showRow);
    connect(&logbook_->deliver(), &DeliverPanel::renderAsked, this, &MainWindow::deliver);
    connect(compare_, &ComparePage::recordAsked, this, &MainWindow::showReference);
    connect(reference_, &ReferencePage::mixesAsked, this, &MainWindow::showCompare);
    connect(reference_, &ReferencePage::likeAsked, this,
            [this](const QString& file, const QString& name, const std::string& kind) {
                showLayers();
                layers_->findLike(file, name, kind);
            });
    connect(reference_, &ReferencePage::addAsked, this, &MainWindow::addRecordings);
    connect(logbook_, &LogbookPage::workAsked, this, &MainWindow::showWork);
    // What was said about one place no longer holds in another.
    connect(board_, &Board::selectionChanged, message_, &QLabel::clear);
    connect(pages_, &QStackedWidget::currentChanged, message_, &QLabel::clear);
    connect(&workspace_, &Workspace::opened, message_, &QLabel::clear);
    connect(hits_, &HitsPage::said, this, &MainWindow::say);
    connect(&workspace_, &Workspace::drawAsked, this, [this](const CurvePlace& place) {
        showHits();
        hits_->showCurve(place);
    });
    connect(layers_, &LayersPage::said, this, [this](const QString& text) { say(text); });
    connect(evidence_, &EvidencePanel::adjustAsked, this, &MainWindow::showBench);
    connect(&listener_, &Listener::changed, this, [this] {
        std::set<std::pair<std::string, Column>> open;
        for (const Proposal* p : listener_.open()) {
            const Row* row = findRow(workspace_.session(), p->row);
            const Stage* stage = row != nullptr ? findStage(*row, p->stage) : nullptr;
            if (row == nullptr || (stage == nullptr && p->stageType.empty())) continue;
            open.insert(
                {p->row, processorType(stage != nullptr ? stage->type : p->stageType).home});
        }
        board_->setProposed(std::move(open));
    });
    connect(top_, &TopBar::compareAsked, this, &MainWindow::compare);
    connect(&workspace_, &Workspace::refused, this,
            [this](const QString& sentence) { say(sentence, true); });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.changes.empty()) return refreshTitle();
        const QString first = QString::fromStdString(diff.changes.front().text);
        say(diff.changes.size() == 1 ? first
                                     : first + tr(" and %1 more").arg(diff.changes.size() - 1));
        refreshTitle();
    });
    connect(&changed_, &QFutureWatcherBase::finished, this, &MainWindow::askAboutRecordings);
    connect(&workspace_, &Workspace::opened, this, [this] {
        overview_->setVisible(!workspace_.empty());
        refreshTitle();
    });
    connect(&workspace_, &Workspace::savedChanged, this, [this] {
        refreshTitle();
        refreshStatus();
    });
    connect(&player_, &Player::problem, this,
            [this](const QString& sentence) { say(sentence, true); });
    connect(&printer_, &Printer::progressed, this, [this](double part, const QString& what) {
        say(tr("%1, %2 %").arg(what).arg(static_cast<int>(100.0 * part)));
    });
    connect(&printer_, &Printer::ended, this,
            [this](const QString& sentence, bool good) { say(sentence, !good); });
    connect(&clips_, &ClipKeeper::failed, this,
            [this](const QString& sentence) { say(sentence, true); });
    connect(&player_, &Player::deviceChanged, this, &MainWindow::refreshStatus);
    connect(&player_, &Player::tick, this, [this] {
        ear_.follow(QDateTime::currentDateTime(), player_.playing(), player_.loudMinutes(),
                    player_.monitorDb());
        top_->tick();
        overview_->tick();
        if (board_->isVisible()) board_->tick();
        if (bench_->isVisible()) bench_->tick();
        if (hits_->isVisible()) hits_->tick();
        refreshStatus();
    });
    connect(&player_, &Player::planReady, this, &MainWindow::refreshStatus);
    connect(&ear_, &Ear::reminded, this, [this](const QString& sentence) { say(sentence); });
    messageTimer_.setSingleShot(true);
    connect(&messageTimer_, &QTimer::timeout, message_, &QLabel::clear);
    if (options_.remember) {
        QSettings settings;
        restoreGeometry(settings.value("window/geometry").toByteArray());
        setLook(settings.value("window/look", 0).toInt());
        board_->setRowHeight(settings.value("board/row-height", board_->rowHeight()).toInt());
    }
    refreshTitle();
    refreshStatus();
}

MainWindow::~MainWindow() {
    changed_.waitForFinished();  // it reads with the workspace's store
    // What still reads recordings must be done before the workspace goes.
    for (LedgerDialog* dialog : findChildren<LedgerDialog*>()) delete dialog;
    for (FreezeDialog* dialog : findChildren<FreezeDialog*>()) delete dialog;
    for (RowReportDialog* dialog : findChildren<RowReportDialog*>()) delete dialog;
    for (DraftDialog* dialog : findChildren<DraftDialog*>()) delete dialog;
    for (QProgressDialog* dialog : findChildren<QProgressDialog*>()) delete dialog;
    hits_->timeLine().waitForRecordings();
    player_.stop();
    pages_->blockSignals(true);
    delete compare_;
    delete reference_;
    delete logbook_;
    delete layers_;
    delete bench_;  // its editors wait for what they had asked for
}

void MainWindow::say(const QString& sentence, bool problem) {
    message_->setText(
        message_->fontMetrics().elidedText(sentence, Qt::ElideRight, std::max(300, width() - 640)));
    message_->setToolTip(sentence);
    message_->setAccessibleName(sentence);
    message_->setStyleSheet(
        problem ? QString("font-weight: 600; color: %1;").arg(colours().chalk.name())
                : QString("color: %1;").arg(colours().quiet.name()));
    messageTimer_.start(problem ? 3 * kMessageMs : kMessageMs);
}

void MainWindow::refreshTitle() {
    const QString name =
        workspace_.empty() ? QString() : QString::fromStdString(workspace_.session().name);
    setWindowTitle(name.isEmpty()
                       ? tr("Ember Cask")
                       : tr("%1%2 – Ember Cask")
                             .arg(name, workspace_.unsaved() ? QStringLiteral(" *") : QString()));
    const Document& document = workspace_.document();
    const auto shorten = [this](const std::string& text) {
        return fontMetrics().elidedText(QString::fromStdString(text), Qt::ElideRight, 420);
    };
    undo_->setEnabled(document.canUndo());
    redo_->setEnabled(document.canRedo());
    undo_->setText(document.canUndo() ? tr("Undo: %1").arg(shorten(document.undoText()))
                                      : tr("Undo"));
    redo_->setText(document.canRedo() ? tr("Redo: %1").arg(shorten(document.redoText()))
                                      : tr("Redo"));
}

void MainWindow::refreshStatus() {
    const DeviceState d = player_.device();
    QString text;
    if (!d.running)
        text = d.problem.empty() ? tr("No device open") : tr("Device stopped");
    else
        text = QString::fromStdString(d.name) +
               (d.simulated ? QString() : " (" + QString::fromStdString(d.backend) + ")") +
               tr(", %1 kHz, %2 frames").arg(d.sampleRate / 1000.0).arg(d.block);
    if (device_->text() != text) {
        device_->setText(text);
        device_->setToolTip(player_.deviceNote().isEmpty() ? QString::fromStdString(d.problem)
                                                           : player_.deviceNote());
        if (!player_.deviceNote().isEmpty()) say(player_.deviceNote());
    }
    const double latency = workspace_.empty()
                               ? 0.0
                               : 1000.0 * player_.latencyFrames() / workspace_.session().sampleRate;
    const QString load =
        !d.running ? QString()
                   : tr("load %1 %, latency %2 ms%3")
                         .arg(figure(d.load * 100.0, 0))
                         .arg(figure(latency + d.latencyMs, 1))
                         .arg(d.dropped > 0 ? tr(", %1 dropped").arg(d.dropped) : QString());
    if (load_->text() != load) load_->setText(load);
    saved_->setText(workspace_.savedText());
    watchLoad(d);
}

void MainWindow::watchLoad(const DeviceState& device) {
    constexpr double kNearLimit = 0.75;
    constexpr int kForMs = 4000;
    if (!device.running || !player_.playing() || device.load < kNearLimit) {
        loaded_.invalidate();
        return;
    }
    if (!loaded_.isValid()) loaded_.start();
    if (offeredFreeze_ || loaded_.elapsed() < kForMs) return;
    offeredFreeze_ = true;
    say(tr("The machine is near its limit (load %1 %): freeze what takes most (Ctrl+G).")
            .arg(figure(device.load * 100.0, 0)),
        true);
}

void MainWindow::showFreeze() {
    if (workspace_.empty()) return say(tr("Open a session first."));
    auto* dialog = new FreezeDialog(workspace_, player_, printer_, this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->show();
}

void MainWindow::deliver() {
    if (workspace_.empty())
        return say(tr("There is nothing to deliver yet: open a session first."), true);
    DeliverDialog(workspace_, listener_, options_.remember, this).exec();
}

void MainWindow::acceptStep(const std::string& step) {
    if (listener_.open(step).empty())
        return say(listener_.listening() ? tr("Still listening to the kit.")
                                         : tr("Nothing of this step is proposed any more."));
    listener_.acceptAll(step);
}

void MainWindow::refreshEvidence() {
    const bool bench = pages_->currentWidget() == bench_;
    const QWidget* page = pages_->currentWidget();
    evidence_->setVisible(showEvidence_->isChecked() && !workspace_.empty() &&
                          (page == board_ || page == bench_));
    const BoardPlace place = bench ? bench_->place() : board_->selected();
    evidence_->show(place);
    top_->setCell(place.row, place.column.value_or(Column::seat));
}

void MainWindow::acceptProposal() {
    const BoardPlace& place = evidence_->place();
    auto* button = evidence_->findChild<QPushButton*>("evidence-accept");
    if (button->isVisibleTo(evidence_)) return button->click();
    say(place.row.empty() ? tr("Choose a cell first.") : tr("Nothing is proposed here."));
}

void MainWindow::compare(bool before) {
    if (workspace_.empty()) return;
    const BoardPlace place =
        pages_->currentWidget() == bench_ ? bench_->place() : board_->selected();
    const Row* row = findRow(workspace_.session(), place.row);
    CompareScope scope = top_->scope();
    std::vector<std::string> stages;
    if (scope == CompareScope::cell && place.column == Column::seat && before) {
        top_->setComparing(false);
        return say(
            tr("A seat is never off: level and place have no before. Choose another step, or "
               "compare the row."));
    }
    if (scope == CompareScope::cell) {
        const Cell cell = row != nullptr && place.column
                              ? cellOf(workspace_.session(), *row, *place.column, nullptr)
                              : Cell{};
        if (cell.stages.empty())
            scope = row != nullptr ? CompareScope::row : CompareScope::everything;
        else
            stages = cell.stages;
    }
    if (scope == CompareScope::row && row == nullptr) scope = CompareScope::everything;
    if (scope == CompareScope::effects && before) {
        top_->setComparing(false);
        return groups_->effects().trigger();
    }
    player_.compare(before, scope, place.row, stages);
    if (!before || row == nullptr) return;
    const bool pressed = std::any_of(row->chain.begin(), row->chain.end(), [&](const Stage& s) {
        const bool asked =
            stages.empty() || std::find(stages.begin(), stages.end(), s.id) != stages.end();
        return asked && s.on &&
               (s.type == "compressor" || s.type == "limiter" || s.type == "clipper");
    });
    if (pressed)
        say(
            tr("At the same loudness less range still seems louder: listen for the stick, and for "
               "the gap after it."));
}

void MainWindow::setLook(int look) {
    applyLook(*qApp, look == 1 ? Look::light : Look::dark);
    message_->clear();  // it was said in the old colours
    board_->refreshLook();
    bench_->refreshAll();
    hits_->timeLine().refreshLook();
    layers_->refreshLook();
    flow_->lowEnd().refreshLook();
    compare_->figures().refreshLook();
    reference_->refreshLook();
    for (QWidget* widget : findChildren<QWidget*>()) widget->update();
    QResizeEvent again(overview_->size(), overview_->size());
    QApplication::sendEvent(overview_, &again);
    if (options_.remember) QSettings().setValue("window/look", look);
}

void MainWindow::closeEvent(QCloseEvent* event) {
    if (!mayLeave()) {
        event->ignore();
        return;
    }
    player_.stop();
    if (options_.remember) {
        QSettings settings;
        settings.setValue("window/geometry", saveGeometry());
        settings.setValue("board/row-height", board_->rowHeight());
    }
    event->accept();
}

bool MainWindow::eventFilter(QObject* object, QEvent* event) {
    // Enter presses the button that has the focus, ticks included, in the window as in dialogs:
    // Space is the song's.
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        const bool pressed = qobject_cast<QPushButton*>(object) != nullptr ||
                             qobject_cast<QToolButton*>(object) != nullptr ||
                             qobject_cast<QRadioButton*>(object) != nullptr ||
                             qobject_cast<QCheckBox*>(object) != nullptr;
        if (pressed && (key == Qt::Key_Return || key == Qt::Key_Enter)) {
            static_cast<QAbstractButton*>(object)->click();
            return true;
        }
    }
    return QMainWindow::eventFilter(object, event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent* event) {
    const QStringList paths = droppedFiles(*event->mimeData());
    event->acceptProposedAction();
    openPaths(paths);
}

}  // namespace ember::app
