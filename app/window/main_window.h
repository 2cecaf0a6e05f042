// The window: top bar, overview, pages, status line, menus.
#pragma once

#include "app/bench/bench_page.h"
#include "app/board/board.h"
#include "app/compare/compare_page.h"
#include "app/compare/ledger_dialog.h"
#include "app/compare/reference_page.h"
#include "app/evidence/evidence_panel.h"
#include "app/flow/flow_page.h"
#include "app/hits/hits_page.h"
#include "app/intake/intake_page.h"
#include "app/kit/kit_page.h"
#include "app/layers/layers_page.h"
#include "app/logbook/logbook_page.h"
#include "app/window/group_menu.h"
#include "app/window/guide_bar.h"
#include "app/window/manual_window.h"
#include "app/window/overview.h"
#include "app/window/top_bar.h"
#include "app/workers/clip_keeper.h"
#include "app/workers/ear.h"
#include "app/workers/errand.h"
#include "app/workers/listener.h"
#include "app/workers/player.h"
#include "app/workers/printer.h"
#include "app/workers/tracer.h"
#include "app/workers/workspace.h"

#include <QElapsedTimer>
#include <QMainWindow>
#include <QStackedWidget>

namespace ember::app {

struct WindowOptions {
    QString recoveryFolder;
    Player::OpenDevice openDevice;
    MidiPorts midi{};
    bool remember = true;  // window place, look and recent sessions, between starts
    bool ask = true;       // questions before unsaved work is left
};

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    explicit MainWindow(const WindowOptions& options);
    ~MainWindow() override;

    // Sessions, recordings and folders from the command line or a drop.
    void openPaths(const QStringList& paths);
    // Recordings that come to the open session, looked at first.
    void takeInto(const QStringList& paths);
    void openDemo(const QString& folder = {}) { intake_->takeDemo(folder); }
    // Offers what a crash left behind; does nothing when there is none.
    void offerRecovery();

    [[nodiscard]] Workspace& workspace() { return workspace_; }
    [[nodiscard]] Player& player() { return player_; }
    [[nodiscard]] Printer& printer() { return printer_; }
    [[nodiscard]] ClipKeeper& clips() { return clips_; }
    [[nodiscard]] Ear& ear() { return ear_; }
    [[nodiscard]] Listener& listener() { return listener_; }
    [[nodiscard]] EvidencePanel& evidence() { return *evidence_; }
    [[nodiscard]] Tracer& tracer() { return tracer_; }
    [[nodiscard]] Board& board() { return *board_; }
    [[nodiscard]] BenchPage& bench() { return *bench_; }
    [[nodiscard]] HitsPage& hits() { return *hits_; }
    [[nodiscard]] KitPage& kit() { return *kit_; }
    [[nodiscard]] FlowPage& flow() { return *flow_; }
    [[nodiscard]] LayersPage& layers() { return *layers_; }
    [[nodiscard]] ComparePage& comparison() { return *compare_; }
    [[nodiscard]] ReferencePage& reference() { return *reference_; }
    [[nodiscard]] LogbookPage& logbook() { return *logbook_; }
    // Null until it was asked for.
    [[nodiscard]] ManualWindow* manual() { return manual_; }
    [[nodiscard]] GuideBar& guide() { return *guide_; }
    [[nodiscard]] IntakePage& intake() { return *intake_; }
    [[nodiscard]] Overview& overview() { return *overview_; }
    [[nodiscard]] TopBar& topBar() { return *top_; }
    [[nodiscard]] GroupMenu& groups() { return *groups_; }
    [[nodiscard]] QString lastMessage() const { return message_->text(); }
    void showBoard();
    void showFirstPass();
    void showHits();
    void showKit();
    void showFlow(FlowSide side = FlowSide::routing);
    void showCompare();
    void showReference();
    void showLogbook();
    void showWork();
    void showGuide();
    // The stack of a row, or of the first that has one.
    void showLayers(const std::string& row = {});
    // A session of one-shots, with the notes of a MIDI file where one is given.
    void takeKit(const QStringList& paths, const QString& midi);
    // A session in one file, laid out in a folder beside it and opened there.
    void openPack(const QString& path);
    void openProgrammedDemo();
    void showBench(const BoardPlace& place);
    bool saveTo(const QString& path);
    bool openSession(const QString& path);
    void setLook(int look);
    // The dialog that is open over the window; null when there is none.
    [[nodiscard]] LedgerDialog* ledger() { return findChild<LedgerDialog*>("ledger"); }

  protected:
    void closeEvent(QCloseEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    bool eventFilter(QObject* object, QEvent* event) override;

  private:
    void buildMenus();
    void buildStatus();
    void buildTabs();
    void acceptStep(const std::string& step);
    void showLedger();
    void deliver();
    void testOrder();
    void showFreeze();
    // Offers what takes load off a machine that has been at its limit for some seconds.
    void watchLoad(const DeviceState& device);
    void say(const QString& sentence, bool problem = false);
    void refreshTitle();
    void refreshStatus();
    void addRecordings();
    bool mayLeave();
    // Compares what the session plays with what was taken in; asks where a file has changed.
    void checkRecordings();
    void askAboutRecordings();
    bool save();
    bool saveAs();
    void chooseSession();
    void runWatched(const char* name, const QString& title, const QString& doing,
                    std::function<void(const Progress&)> what, std::function<void()> then);
    void chooseKit();
    void fillRecent();
    void fillStyles(QMenu* menu);
    void remember(const QString& path);
    void chooseDevice();
    void compare(bool before);
    void showManual();
    [[nodiscard]] std::vector<GuideStep> guideSteps();
    void offerGuide();
    void refreshEvidence();
    void acceptProposal();

    WindowOptions options_;
    Workspace workspace_;
    Player player_;
    Tracer tracer_;
    Listener listener_;
    Printer printer_;
    ClipKeeper clips_;
    Ear ear_;
    TopBar* top_ = nullptr;
    Overview* overview_ = nullptr;
    QStackedWidget* pages_ = nullptr;
    IntakePage* intake_ = nullptr;
    Board* board_ = nullptr;
    BenchPage* bench_ = nullptr;
    HitsPage* hits_ = nullptr;
    KitPage* kit_ = nullptr;
    FlowPage* flow_ = nullptr;
    LayersPage* layers_ = nullptr;
    ComparePage* compare_ = nullptr;
    ReferencePage* reference_ = nullptr;
    LogbookPage* logbook_ = nullptr;
    GuideBar* guide_ = nullptr;
    ManualWindow* manual_ = nullptr;  // once it was asked for
    EvidencePanel* evidence_ = nullptr;
    QLabel *message_ = nullptr, *device_ = nullptr, *load_ = nullptr, *saved_ = nullptr;
    QAction *undo_ = nullptr, *redo_ = nullptr, *showEvidence_ = nullptr;
    QMenu* recent_ = nullptr;
    GroupMenu* groups_ = nullptr;
    QTimer messageTimer_;
    QElapsedTimer loaded_;  // since the machine has been near its limit
    bool offeredFreeze_ = false;
    Errand<std::vector<std::filesystem::path>> changed_;
};

}  // namespace ember::app
