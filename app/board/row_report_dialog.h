// What is measured of one row in its place, as sentences and a table, anew after every edit.
#pragma once

#include "app/workers/player.h"
#include "app/workers/watch.h"
#include "app/workers/workspace.h"

#include <QDialog>
#include <QDialogButtonBox>
#include <QFutureWatcher>
#include <QLabel>
#include <QPushButton>
#include <QStringList>
#include <QTableWidget>

#include <atomic>
#include <functional>
#include <vector>

namespace ember::app {

struct RowReport {
    QString sentence;
    std::vector<QStringList> lines;  // of the table
};

// A report on a row: what it is called, what its table holds, and how it is made, over [from, to)
// seconds of the song, on another thread; `make` may throw Error.
struct RowReportKind {
    QString object, title;  // of the window
    QStringList heads, tips;
    std::function<RowReport(const Session&, AudioStore&, double from, double to, const Progress&)>
        make;
};
// How a row adds up with what stands beside it in its bus, octave by octave.
RowReportKind addsUpReport(const Session& session, const std::string& row);
// Who of a bus's members is heard, and what sticks out of their sum.
RowReportKind busCheckReport(const Session& session, const std::string& bus);

// Measures over the loop, or over half a minute from the playhead.
class RowReportDialog : public QDialog {
    Q_OBJECT
  public:
    RowReportDialog(Workspace& workspace, Player& player, RowReportKind kind,
                    QWidget* parent = nullptr);
    ~RowReportDialog() override;

    // A button more, for what may be done about it; usable once it is measured.
    void addRemedy(const QString& object, const QString& text, const QString& help,
                   const std::function<void()>& what);
    [[nodiscard]] bool measuring() const { return running_.isRunning(); }
    [[nodiscard]] QString text() const { return sentence_->text(); }
    [[nodiscard]] QTableWidget& table() { return *table_; }

  private:
    void measure();
    void finish();

    Workspace& workspace_;
    Player& player_;
    RowReportKind kind_;
    QLabel* sentence_ = nullptr;
    QTableWidget* table_ = nullptr;
    QDialogButtonBox* buttons_ = nullptr;
    std::vector<QPushButton*> remedies_;
    QFutureWatcher<Outcome<RowReport>> running_;
    std::atomic<bool> abandon_{false};
    bool again_ = false;  // an edit came while it was measured
};

// One of them over the window, which goes with it; of a row that adds up with a remedy for its
// polarity.
void showRowReport(Workspace& workspace, Player& player, RowReportKind kind, const std::string& row,
                   QWidget* parent);

}  // namespace ember::app
