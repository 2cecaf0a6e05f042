// Prints rows in the background and freezes them with what came of it (session/print.h).
#pragma once

#include "app/workers/errand.h"
#include "app/workers/watch.h"
#include "app/workers/workspace.h"

#include <QObject>

#include <atomic>
#include <string>
#include <vector>

namespace ember::app {

// A row to be printed: to be frozen with it, or for a row of its own that plays it; or a row that
// plays one, of which what it was printed of is printed again.
struct PrintJob {
    enum class For { itself, anotherRow, again };
    std::string row;
    For what = For::itself;
    double semitones = 0.0;  // for another row
};

// Window's thread only.
class Printer : public QObject {
    Q_OBJECT
  public:
    explicit Printer(Workspace& workspace, QObject* parent = nullptr);
    // What was printed beside no session's file is needed by nobody then.
    ~Printer() override;

    // One after the other; what comes of all is one edit. While some are being printed others are
    // refused with a sentence.
    void print(const std::vector<PrintJob>& jobs);
    void freeze(const std::vector<std::string>& rows);
    // What is printed by then is used.
    void cancel() { abandon_ = true; }
    void playLive(const std::vector<std::string>& rows);
    [[nodiscard]] bool busy() const { return running_.isRunning(); }

  signals:
    void progressed(double part, const QString& what);  // 0..1 of all
    void ended(const QString& sentence, bool good);

  private:
    struct Made {
        std::vector<std::pair<PrintJob, Print>> prints;
        QString problem;  // empty: none
    };
    // The session with what was printed in its place, and what is said of it.
    static Session used(Session session, const PrintJob& job, const Print& print,
                        QStringList& said);
    void finish();

    Workspace& workspace_;
    Errand<Made> running_;
    std::atomic<bool> abandon_{false};
    std::vector<std::filesystem::path> unkept_;
};

}  // namespace ember::app
