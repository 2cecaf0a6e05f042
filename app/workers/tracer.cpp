#include "app/workers/tracer.h"

#include "core/base/background.h"
#include "core/base/error.h"
#include "core/engine/trace_cache.h"
#include "core/session/graph.h"

#include <QtConcurrent/QtConcurrentRun>

namespace ember::app {
namespace {

constexpr int kDelayMs = 60;   // edits of one drag are gathered
constexpr int kKeepMs = 2000;  // of rest before anything is written

}  // namespace

Tracer::Tracer(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace) {
    pool_.setMaxThreadCount(1);
    delay_.setSingleShot(true);
    delay_.setInterval(kDelayMs);
    connect(&delay_, &QTimer::timeout, this, &Tracer::start);
    keep_.setSingleShot(true);
    keep_.setInterval(kKeepMs);
    connect(&keep_, &QTimer::timeout, this, &Tracer::keep);
    connect(&running_, &QFutureWatcher<void>::finished, this, &Tracer::finish);
    connect(&workspace_, &Workspace::opened, this, [this] {
        traces_.clear();
        dirty_.clear();
        unkept_.clear();
        for (const Row& row : workspace_.session().rows) dirty_.insert(row.id);
        abandon_ = true;
        delay_.start();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        std::set<std::string> touched;
        for (const std::string& row : diff.rows)
            touched.merge(reachedBy(workspace_.session(), row));
        if (touched.empty()) return;
        if (touched.count(current_) > 0) abandon_ = true;
        dirty_.merge(touched);
        delay_.start();
    });
}

Tracer::~Tracer() {
    abandon_ = true;
    running_.waitForFinished();
    keep();
    keeping_.waitForFinished();
}

std::shared_ptr<const RowTrace> Tracer::of(const std::string& row) const {
    const auto at = traces_.find(row);
    return at == traces_.end() ? nullptr : at->second;
}

// Elements before buses: they are quick and everybody looks at them first.
std::string Tracer::nextRow() const {
    if (dirty_.count(preferred_) > 0) return preferred_;
    for (const bool sources : {true, false}) {
        for (const Row& row : workspace_.session().rows) {
            if (hasSources(row.kind) == sources && dirty_.count(row.id) > 0) return row.id;
        }
    }
    return {};
}

// Writes what was measured to the cache once nothing has moved for a while: not at every step of a
// drag.
void Tracer::keep() {
    if (!current_.empty() || !dirty_.empty()) return;
    std::vector<std::pair<std::string, std::shared_ptr<const RowTrace>>> all;
    for (const std::string& row : std::exchange(unkept_, {})) {
        if (auto one = of(row)) all.emplace_back(row, std::move(one));
    }
    if (all.empty()) return;
    AudioStore* store = &workspace_.store();
    keeping_ = QtConcurrent::run(&pool_, [store, all, session = workspace_.session()] {
        stepBack();
        for (const auto& [row, one] : all) keepTrace(session, *store, row, *one);
    });
}

void Tracer::start() {
    // What came of the last run is still to be taken.
    if (!current_.empty()) return;
    keep_.stop();
    std::erase_if(dirty_, [&](const std::string& id) {
        return findRow(workspace_.session(), id) == nullptr;
    });
    current_ = nextRow();
    if (current_.empty()) {
        keep_.start();
        emit settledChanged();
        return;
    }
    dirty_.erase(current_);
    // All buses in one run: each of them needs most of the others anyway.
    std::vector<std::string> rows{current_};
    if (!hasSources(findRow(workspace_.session(), current_)->kind)) {
        for (const Row& row : workspace_.session().rows) {
            if (!hasSources(row.kind) && dirty_.erase(row.id) > 0) rows.push_back(row.id);
        }
    }
    abandon_ = false;
    auto result = std::make_shared<std::map<std::string, RowTrace>>();
    result_ = result;
    AudioStore* store = &workspace_.store();
    running_.setFuture(
        QtConcurrent::run(&pool_, [this, result, rows, store, session = workspace_.session()] {
            stepBack();
            try {
                *result = knownOrTraced(session, *store, rows, [this](double, const std::string&) {
                    return !abandon_.load();
                });
            } catch (const std::exception&) {
                result->clear();  // abandoned for newer settings, or a recording is missing, which
                                  // the player says
            }
        }));
}

void Tracer::finish() {
    const auto result = std::exchange(result_, nullptr);
    if (result && !abandon_) {
        for (auto& [row, one] : *result) {
            traces_[row] = std::make_shared<RowTrace>(std::move(one));
            unkept_.insert(row);
            emit traced(QString::fromStdString(row));
        }
    } else if (findRow(workspace_.session(), current_) != nullptr) {
        dirty_.insert(current_);
        if (!hasSources(findRow(workspace_.session(), current_)->kind)) {
            for (const Row& row : workspace_.session().rows) {
                if (!hasSources(row.kind)) dirty_.insert(row.id);
            }
        }
    }
    current_.clear();
    start();
}

}  // namespace ember::app
