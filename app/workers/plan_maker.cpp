#include "app/workers/plan_maker.h"

#include "core/base/error.h"

#include <QtConcurrent/QtConcurrentRun>

#include <utility>

namespace ember::app {

PlanMaker::PlanMaker(Workspace& workspace, QObject* parent)
    : QObject(parent), workspace_(workspace) {
    connect(&running_, &QFutureWatcher<void>::finished, this, &PlanMaker::finished);
}

PlanMaker::~PlanMaker() {
    abandon_ = true;
    running_.waitForFinished();
}

void PlanMaker::make(Session session, PlanOptions options) {
    next_ = std::make_shared<Job>();
    next_->result.session = std::move(session);
    next_->options = std::move(options);
    next_->options.rest = true;  // what nobody hears
    abandon_ = true;
    if (job_ == nullptr) start();
}

void PlanMaker::abandon() {
    next_.reset();
    abandon_ = true;
}

void PlanMaker::start() {
    abandon_ = false;
    job_ = std::exchange(next_, nullptr);
    running_.setFuture(QtConcurrent::run([this, job = job_, store = &workspace_.store()] {
        try {
            job->result.plan =
                compile(job->result.session, *store, job->options,
                        [this](double, const std::string&) { return !abandon_.load(); });
        } catch (const Cancelled&) {
            return;
        } catch (const std::exception& e) {
            job->result.error = QString::fromUtf8(e.what());
        }
    }));
}

void PlanMaker::finished() {
    const auto job = std::exchange(job_, nullptr);
    if (next_ != nullptr) return start();
    if (job == nullptr || abandon_) return;
    emit made(std::shared_ptr<Made>(job, &job->result));
}

}  // namespace ember::app
