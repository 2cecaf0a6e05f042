// Runs the rows that changed through their chains in the background, for true pictures.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/workspace.h"
#include "core/engine/trace.h"

#include <QObject>
#include <QThreadPool>
#include <QTimer>

#include <atomic>
#include <map>
#include <memory>
#include <set>
#include <string>

namespace ember::app {

class Tracer : public QObject {
    Q_OBJECT
  public:
    explicit Tracer(Workspace& workspace, QObject* parent = nullptr);
    ~Tracer() override;

    // What the row's stages did over the song; null until it is known. May be of a moment
    // ago while a newer one is being made.
    [[nodiscard]] std::shared_ptr<const RowTrace> of(const std::string& row) const;
    // Whether everything shown is up to date.
    [[nodiscard]] bool settled() const { return dirty_.empty() && current_.empty(); }
    // The row that is looked at comes first.
    void prefer(const std::string& row) { preferred_ = row; }

  signals:
    void traced(const QString& row);
    void settledChanged();

  private:
    void start();
    void finish();
    void keep();
    [[nodiscard]] std::string nextRow() const;

    Workspace& workspace_;
    QTimer delay_, keep_;
    QThreadPool pool_;  // one thread, which steps back behind the sound
    Errand<void> running_;
    QFuture<void> keeping_;
    std::atomic<bool> abandon_{false};
    std::set<std::string> dirty_, unkept_;  // to be measured; measured and not in the cache yet
    std::string preferred_, current_;
    std::shared_ptr<std::map<std::string, RowTrace>> result_;
    std::map<std::string, std::shared_ptr<const RowTrace>> traces_;
};

}  // namespace ember::app
