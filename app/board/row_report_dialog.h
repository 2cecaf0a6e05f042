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
#include <QSpinBox>
#include <QStringList>
#include <QTableWidget>
#include <QVBoxLayout>

#include <atomic>
#include <functional>
#include <memory>
#include <optional>
#include <vector>

namespace ember::app {

// What may be done about what is reported: a button and its edit, of the session as it is then, and
// why, which the logbook keeps.
struct ReportRemedy {
    QString object, text, help;
    std::function<Session(Session)> make;
    std::string reason;
};

// What the lines of a table sound like, in place of the mix: of one of them a session, and the gain
// that makes it as loud as the mix.
struct ReportSound {
    Session session;
    double gainDb = 0.0;
};
struct ReportHearing {
    QString text, help;
    std::function<ReportSound(const Session&, std::size_t line)> sound;
    double dimDb = 0.0;  // by how much less loud it is heard unless somebody says otherwise
};

struct RowReport {
    QString sentence;
    std::vector<QStringList> lines;  // of the table
    std::vector<ReportRemedy> remedies = {};
    // The same for a session of which nothing that sounds is another; none: it stays as it is.
    std::function<RowReport(const Session&)> again = {};
    // What a person types into the last column of a line, as an edit; none: nothing is typed.
    std::function<Session(Session, std::size_t line, const std::string& text)> typed = {};
    std::size_t line = 0;  // the one to begin with
};

// A report on a row: what it is called, what its table holds, and how it is made, over [from, to)
// seconds of the song, on another thread; `make` may throw Error.
struct RowReportKind {
    QString object, title;  // of the window
    QStringList heads, tips;
    std::function<RowReport(const Session&, AudioStore&, double from, double to, const Progress&)>
        make;
    std::optional<ReportHearing> hearing = {};
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
// What breaks first when the mix is pushed, step by step, heard dimmed, and how much lower it would
// do.
RowReportKind driveReport(std::shared_ptr<const KitMeasurement> heard);
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
    // Whether a line is heard in place of the mix, or about to be.
    [[nodiscard]] bool hears() const { return hear_ != nullptr && hear_->isChecked(); }

  private:
    void measure();
    void finish();
    void put(RowReport report);
    void type(const QTableWidgetItem* item);
    void offer(const std::vector<ReportRemedy>& remedies);
    void make(const ReportRemedy& remedy);
    void buildHearing(QVBoxLayout* box);
    void hear();

    Workspace& workspace_;
    Player& player_;
    RowReportKind kind_;
    QLabel* sentence_ = nullptr;
    QTableWidget* table_ = nullptr;
    QDialogButtonBox* buttons_ = nullptr;
    QPushButton* hear_ = nullptr;  // none where nothing can be heard
    QSpinBox* dim_ = nullptr;
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
