// Compiles plans in the background, one at a time; the last one asked for counts.
#pragma once

#include "app/workers/errand.h"
#include "app/workers/workspace.h"
#include "core/engine/plan.h"

#include <QObject>

#include <atomic>
#include <memory>
#include <optional>

namespace ember::app {

// Window's thread only.
class PlanMaker : public QObject {
    Q_OBJECT
  public:
    struct Made {
        std::unique_ptr<Plan> plan;  // null where it failed
        Session session;
        QString error;
    };

    explicit PlanMaker(Workspace& workspace, QObject* parent = nullptr);
    ~PlanMaker() override;

    // In place of what is under way.
    void make(Session session, PlanOptions options = {});
    // Nothing is made of what is under way.
    void abandon();
    [[nodiscard]] bool busy() const { return job_ != nullptr || next_ != nullptr; }

  signals:
    void made(const std::shared_ptr<ember::app::PlanMaker::Made>& result);

  private:
    struct Job {
        Made result;
        PlanOptions options;
    };
    void start();
    void finished();

    Workspace& workspace_;
    std::shared_ptr<Job> next_, job_;  // job_: until what came of it is told
    Errand<void> running_;
    std::atomic<bool> abandon_{false};
};

}  // namespace ember::app
