#include "app/listener.h"

#include "core/base/background.h"
#include "core/base/error.h"
#include "core/dsp/gate.h"

#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {

Listener::Listener(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace) {
    pool_.setMaxThreadCount(1);
    connect(&running_, &QFutureWatcher<void>::finished, this, &Listener::finish);
    connect(&effects_, &QFutureWatcher<void>::finished, this, &Listener::finishEffect);
    connect(&workspace_, &Workspace::opened, this, [this] {
        measured_.reset();
        proposals_.clear();
        measuredEffects_.clear();
        start();
        emit changed();
    });
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        if (diff.structural && materialKey() != key_) start();
        supplyStrokes();
        propose();
        emit changed();
    });
}

void Listener::supplyStrokes() {
    const Session& s = workspace_.session();
    if (!measured_ || !s.strokes.get().empty() || measured_->strokes.strokes.empty()) return;
    const bool wanted = std::any_of(s.rows.begin(), s.rows.end(), [](const Row& row) {
        return std::any_of(row.chain.begin(), row.chain.end(), [](const Stage& stage) {
            return stage.type == "gate" && stage.values[Gate::keySource] >= 0.5;
        });
    });
    if (!wanted) return;
    Session next = s;
    next.strokes = Shared(measured_->strokes.strokes);
    workspace_.edit(std::move(next));
}

Listener::~Listener() {
    abandon_ = true;
    running_.waitForFinished();
    effects_.waitForFinished();
}

// What is measured depends on recordings, roles and corrections, not on the settings.
std::string Listener::materialKey() const {
    const Session& s = workspace_.session();
    std::string key = std::to_string(s.sampleRate) + " " + std::to_string(s.strokeEdits.size());
    for (const Row& row : s.rows) {
        if (row.kind != RowKind::element) continue;
        key += "\n" + row.id + " " + std::string(toString(row.role));
        for (const Source& source : row.sources)
            key += " " + source.file + ":" + std::to_string(source.channel);
    }
    return key;
}

void Listener::cancel() {
    abandon_ = true;
}

void Listener::start() {
    if (running_.isRunning()) {
        abandon_ = true;  // finish() begins anew
        key_.clear();
        return;
    }
    key_ = materialKey();
    problem_.clear();
    if (workspace_.empty()) return;
    abandon_ = false;
    result_ = std::make_shared<KitMeasurement>();
    failure_ = std::make_shared<QString>();
    AudioStore* store = &workspace_.store();
    running_.setFuture(QtConcurrent::run(&pool_, [this, result = result_, failure = failure_, store,
                                                  session = workspace_.session()] {
        stepBack();
        try {
            *result = measureKit(session, *store, [this](double fraction, const std::string& what) {
                emit progressed(fraction, QString::fromStdString(what));
                return !abandon_.load();
            });
        } catch (const std::exception& error) {
            *failure = QString::fromUtf8(error.what());
        }
    }));
    emit changed();
}

void Listener::finish() {
    const auto result = std::exchange(result_, nullptr);
    if (abandon_) {
        if (key_.empty() && !workspace_.empty()) return start();
        problem_ = tr("Listening was stopped.");
    } else if (!failure_->isEmpty()) {
        problem_ = *failure_;
    } else {
        measured_ = result;
        supplyStrokes();
        propose();
    }
    emit changed();
}

void Listener::setHow(const Advice& how) {
    how_ = how;
    measuredEffects_.clear();
    propose();
    emit changed();
}

void Listener::propose() {
    proposals_.clear();
    if (!measured_ || workspace_.empty()) return;
    proposals_ = advise(workspace_.session(), *measured_, how_);
    for (Proposal& p : proposals_) {
        const auto at = measuredEffects_.find(p.id);
        if (at != measuredEffects_.end() && accepted(p)) p.effects = at->second;
    }
}

const Proposal* Listener::proposalFor(const std::string& row, const std::string& stage) const {
    const auto at = std::find_if(proposals_.begin(), proposals_.end(), [&](const Proposal& p) {
        return p.row == row && p.stage == stage;
    });
    return at == proposals_.end() ? nullptr : &*at;
}

bool Listener::accepted(const Proposal& p) const {
    const Row* row = findRow(workspace_.session(), p.row);
    const Stage* stage = row == nullptr ? nullptr : findStage(*row, p.stage);
    if (stage == nullptr || !stage->on || stage->mark != Mark::decided) return false;
    const ParameterTable table = processorType(stage->type).table;
    return std::all_of(p.moves.begin(), p.moves.end(), [&](const ParameterMove& move) {
        const int index = parameterIndex(table, move.parameter);
        return index >= 0 &&
               std::abs(stage->values[static_cast<std::size_t>(index)] - move.value) < 1e-9;
    });
}

void Listener::accept(const Proposal& proposal) {
    if (!measured_) return;
    const Proposal kept = proposal;  // the edit below makes the list anew
    try {
        workspace_.edit(ember::accept(workspace_.session(), kept, measured_->strokes));
    } catch (const Error& error) {
        problem_ = QString::fromUtf8(error.what());
        emit changed();
        return;
    }
    measureEffect(kept);
}

void Listener::decline(const Proposal& proposal) {
    Session next = workspace_.session();
    next.declined.push_back(proposal.id);
    workspace_.edit(std::move(next));
}

void Listener::measureEffect(const Proposal& proposal) {
    if (effects_.isRunning()) return;
    effect_ = std::make_shared<Proposal>(proposal);
    AudioStore* store = &workspace_.store();
    effects_.setFuture(QtConcurrent::run(
        &pool_, [this, p = effect_, measured = measured_, store, session = workspace_.session()] {
            try {
                measureEffects(*p, session, *measured, *store,
                               [this](double, const std::string&) { return !abandon_.load(); });
            } catch (const std::exception&) {
                p->effects.clear();  // the recordings say why, in the player
            }
        }));
}

void Listener::finishEffect() {
    const auto p = std::exchange(effect_, nullptr);
    if (!p || p->effects.empty()) return;
    measuredEffects_[p->id] = p->effects;
    propose();
    emit changed();
}

}  // namespace ember::app
