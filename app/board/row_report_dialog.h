// What is measured of one row in its place, as sentences and a table, anew after every edit.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "app/workers/workspace.h"
#include "core/measure/kit/kit_measure.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QLabel>
#include <QPushButton>
#include <QStringList>
#include <QTableWidget>

#include <atomic>
#include <functional>
#include <memory>
#include <vector>

namespace ember::app {

// What may be done about what is reported: a button and its edit, of the session as it is then.
struct ReportRemedy {
    QString object, text, help;
    std::function<Session(Session)> make;
};

struct RowReport {
    QString sentence;
    std::vector<QStringList> lines;  // of the table
    std::vector<ReportRemedy> remedies = {};
    // The same for a session of which nothing that sounds is another; none: it stays as it is.
    std::function<RowReport(const Session&)> again = {};
    // What a person types into the last column of a line, as an edit; none: nothing is typed.
    std::function<Session(Session, std::size_t line, const std::string& text)> typed = {};
};

// A report on a row: what it is called, what its table holds, and how it is made, over [from, to)
// seconds of the song, on another thread; `make` may throw Error.
struct RowReportKind {
    QString object, title;  // of the window
    QStringList heads, tips;
    std::function<RowReport(const Session&, AudioStore&, double from, double to, const Progress&)>
        make;
};
// How a row adds up with what stands beside it in its bus, octave by octave, with a remedy for its
// polarity.
RowReportKind addsUpReport(const Session& session, const std::string& row);
// Who of a bus's members is heard, and what sticks out of their sum.
RowReportKind busCheckReport(const Session& session, const std::string& bus);
// A sum of drums as a whole: highs against lows, and the room it leaves.
RowReportKind busWholeReport(const Session& session, const std::string& bus);
// How far every sum moves, against what is wanted of it, which is typed there.
RowReportKind rangeReportKind();

// Whether the drums stand in one room; `heard`: whose strokes count where the session has none.
RowReportKind oneRoomReport(std::shared_ptr<const KitMeasurement> heard);
// How far every drum's strokes stand above all else that sounds, and what is at fault.
RowReportKind throughReport(std::shared_ptr<const KitMeasurement> heard);
// What the chain of a bus or the main does to the punch of every drum in it.
RowReportKind punchReport(const Session& session, std::shared_ptr<const KitMeasurement> heard,
                          const std::string& bus);
// How much room the levels leave, with one trim for all of them.
RowReportKind headroomReport(std::shared_ptr<const KitMeasurement> heard);

// What reports are made of: the loop, or half a minute from the playhead.
LoopSpan spanHere(const Session& session, const Player& player);

// Measures over spanHere().
class RowReportDialog : public QDialog {
    Q_OBJECT
  public:
    RowReportDialog(Workspace& workspace, Player& player, RowReportKind kind,
                    QWidget* parent = nullptr);
    ~RowReportDialog() override;

    [[nodiscard]] bool measuring() const { return running_.isRunning(); }
    [[nodiscard]] QString text() const { return sentence_->text(); }
    [[nodiscard]] QTableWidget& table() { return *table_; }

  private:
    void measure();
    void finish();
    void put(RowReport report);
    void type(const QTableWidgetItem* item);
    void offer(const std::vector<ReportRemedy>& remedies);

    Workspace& workspace_;
    Player& player_;
    RowReportKind kind_;
    QLabel* sentence_ = nullptr;
    QTableWidget* table_ = nullptr;
    QDialogButtonBox* buttons_ = nullptr;
    std::vector<QPushButton*> remedies_;
    RowReport shown_;
    bool filling_ = false;
    Errand<Outcome<RowReport>> running_;
    std::atomic<bool> abandon_{false};
    bool again_ = false;  // an edit came while it was measured
};

// One of them over the window, which goes with it.
void showRowReport(Workspace& workspace, Player& player, RowReportKind kind, QWidget* parent);

}  // namespace ember::app
