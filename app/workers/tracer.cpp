#include "app/workers/tracer.h"

#include "core/base/background.h"
#include "core/base/error.h"

#include <QtConcurrent/QtConcurrentRun>

namespace ember::app {
namespace {

constexpr int kDelayMs = 60;  // edits of one drag are gathered

// Rows whose sound contains that of `row`: its buses up to main, and rows keyed by it.
void addDownstream(const Session& session, const std::string& row, std::set<std::string>& out) {
    if (!out.insert(row).second) return;
    for (const Row& r : session.rows) {
        if (r.id == row && !r.parent.empty()) addDownstream(session, r.parent, out);
        for (const Stage& stage : r.chain) {
            if (stage.key == row) addDownstream(session, r.id, out);
        }
    }
}

}  // namespace

Tracer::Tracer(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace) {
    pool_.setMaxThreadCount(1);
    delay_.setSingleShot(true);
    delay_.setInterval(kDelayMs);
    connect(&delay_, &QTimer::timeout, this, &Tracer::start);
    connect(&running_, &QFutureWatcher<void>::finished, this, &Tracer::finish);
    connect(&workspace_, &Workspace::opened, this, [this] {
        traces_.clear();
        dirty_.clear();
        for (const Row& row : workspace_.session().rows) dirty_.insert(row.id);
        abandon_ = true;
        delay_.start();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        std::set<std::string> touched;
        for (const std::string& row : diff.rows) addDownstream(workspace_.session(), row, touched);
        if (touched.empty()) return;
        if (touched.count(current_) > 0) abandon_ = true;
        dirty_.merge(touched);
        delay_.start();
    });
}

Tracer::~Tracer() {
    abandon_ = true;
    running_.waitForFinished();
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

void Tracer::start() {
    if (running_.isRunning()) return;
    std::erase_if(dirty_, [&](const std::string& id) {
        return findRow(workspace_.session(), id) == nullptr;
    });
    current_ = nextRow();
    if (current_.empty()) {
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
                *result = trace(session, *store, rows,
                                [this](double, const std::string&) { return !abandon_.load(); });
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
