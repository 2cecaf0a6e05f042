#include "app/workers/listener.h"

#include "core/advise/chain_copy.h"
#include "core/base/background.h"
#include "core/base/error.h"
#include "core/measure/separate/kept_models.h"
#include "core/session/bleed.h"

#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr int kRestMs = 1500;  // after the last correction of a stroke

}  // namespace

Listener::Listener(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace) {
    pool_.setMaxThreadCount(1);
    connect(&running_, &QFutureWatcher<void>::finished, this, &Listener::finish);
    connect(&effects_, &QFutureWatcher<void>::finished, this, &Listener::finishEffect);
    for (Asked* asked : {&buses_, &bleed_})
        connect(&asked->running, &QFutureWatcher<void>::finished, this,
                [this, asked] { finishAsked(*asked); });
    connect(&workspace_, &Workspace::opened, this, [this] {
        measured_.reset();
        proposals_.clear();
        buses_.found = bleed_.found = {};
        measuredEffects_.clear();
        effectsWanted_.clear();
        spots_.clear();
        start();
        emit changed();
    });
    rest_.setSingleShot(true);
    rest_.setInterval(kRestMs);
    connect(&rest_, &QTimer::timeout, this, &Listener::start);
    connect(&workspace_, &Workspace::changed, this, [this] {
        if (materialKey() != key_) start();
        followCorrections();
        supplyStrokes();
        propose();
        emit changed();
    });
}

void Listener::supplyStrokes() {
    const Session& s = workspace_.session();
    if (!measured_ || !s.strokes.get().empty() || measured_->strokes.strokes.empty()) return;
    if (playsStrokes(s)) workspace_.edit(withStrokesHeard(s));
}

Session struckAs(Session session, const std::shared_ptr<const KitMeasurement>& heard) {
    if (heard && session.strokes.get().empty()) session.strokes = Shared(heard->strokes.strokes);
    return session;
}

Listener::~Listener() {
    abandon_ = true;
    running_.waitForFinished();
    effects_.waitForFinished();
    buses_.running.waitForFinished();
    bleed_.running.waitForFinished();
}

// What is measured depends on recordings, roles and the grid, not on the settings. Corrections of
// strokes are followed apart.
std::string Listener::materialKey() const {
    const Session& s = workspace_.session();
    std::string key = std::to_string(s.sampleRate) + " " + timeKey(s.time);
    for (const Row& row : s.rows) {
        if (!isListenedTo(row)) continue;
        key += "\n" + row.id + " " + std::string(toString(row.role)) + " " + row.drum;
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
    startedWith_ = workspace_.session().strokeEdits;
    result_ = std::make_shared<KitMeasurement>();
    foundSpots_ = std::make_shared<std::vector<FoundSpot>>();
    failure_ = std::make_shared<QString>();
    AudioStore* store = &workspace_.store();
    running_.setFuture(QtConcurrent::run(&pool_, [this, result = result_, spots = foundSpots_,
                                                  failure = failure_, store,
                                                  session = workspace_.session()] {
        stepBack();
        try {
            *result = measureKit(session, *store, [this](double fraction, const std::string& what) {
                emit progressed(fraction, QString::fromStdString(what));
                return !abandon_.load();
            });
            *spots = findSpots(session, *result, *store);
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
        followed_ = startedWith_;
        followCorrections();
        spots_ = std::move(*foundSpots_);
        supplyStrokes();
        propose();
    }
    emit changed();
}

void Listener::propose() {
    proposals_.clear();
    if (!measured_ || workspace_.empty()) return;
    const Session& session = workspace_.session();
    proposals_ = advise(session, *measured_, session.ways);
    for (const Asked* asked : {&bleed_, &buses_}) {
        for (const Proposal& p : asked->found.proposals) {
            if (!isDeclined(session, p) && findRow(session, p.row) != nullptr)
                proposals_.push_back(p);
        }
    }
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

const Proposal* Listener::proposalOf(const std::string& row, const std::string& step) const {
    const Proposal* first = nullptr;
    for (const Proposal& p : proposals_) {
        if (p.row != row || p.step != step) continue;
        if (!accepted(p)) return &p;
        if (first == nullptr) first = &p;
    }
    return first;
}

bool Listener::accepted(const Proposal& p) const {
    return isAccepted(workspace_.session(), p);
}

void Listener::ask(Asked& what, Advise advise) {
    if (what.running.isRunning() || !measured_ || workspace_.empty()) return;
    if (!running_.isRunning()) abandon_ = false;
    what.key = key_;
    what.result = std::make_shared<Found>();
    what.failure = std::make_shared<QString>();
    what.running.setFuture(QtConcurrent::run(
        &pool_, [this, advise, out = what.result, failure = what.failure, measured = measured_,
                 store = &workspace_.store(), session = workspace_.session()] {
            stepBack();
            try {
                *out = advise(session, *measured, *store,
                              [this](double fraction, const std::string& did) {
                                  emit progressed(fraction, QString::fromStdString(did));
                                  return !abandon_.load();
                              });
            } catch (const std::exception& error) {
                *failure = QString::fromUtf8(error.what());
            }
        }));
    emit changed();
}

void Listener::listenToBuses() {
    ask(buses_, [](const Session& session, const KitMeasurement& measured, AudioStore& store,
                   const Progress& progress) {
        return Found{
            adviseBus(session, hearBuses(session, store, measured.strokes.strokes, progress),
                      measured, session.ways.bus),
            {}};
    });
}

void Listener::listenToBleed() {
    ask(bleed_, [](const Session& session, const KitMeasurement& measured, AudioStore& store,
                   const Progress& progress) {
        const std::vector<Stroke>& strokes = measured.strokes.strokes;
        const std::string model = bleedModelFor(session, store, within(progress, 0.0, 0.5));
        const BleedHeard heard = hearBleed(session, store, strokes, model, PartsAs::recorded,
                                           within(progress, 0.5, 0.8));
        return Found{adviseBleed(session, heard, measured, session.ways.bleed),
                     microphonesMissed(session, store, strokes, within(progress, 0.8, 1.0))};
    });
}

const MicWorth* Listener::worthOf(const std::string& row) const {
    const auto& mics = bleed_.found.mics;
    const auto at =
        std::find_if(mics.begin(), mics.end(), [&](const MicWorth& m) { return m.row == row; });
    return at != mics.end() ? &*at : nullptr;
}

void Listener::finishAsked(Asked& what) {
    if (!what.failure->isEmpty()) problem_ = *what.failure;
    Found found = std::move(*std::exchange(what.result, nullptr));
    // What was heard may be another session's by now.
    what.found = what.key == key_ ? std::move(found) : Found{};
    propose();
    emit changed();
}

// By value: the edit makes the list of proposals anew.
void Listener::accept(Proposal proposal) {
    if (!measured_) return;
    try {
        workspace_.edit(ember::accept(workspace_.session(), proposal, measured_->strokes), {},
                        {whyOf(proposal)});
    } catch (const Error& error) {
        problem_ = QString::fromUtf8(error.what());
        emit changed();
        return;
    }
    effectsWanted_.push_back(std::move(proposal));
    measureNextEffect();
}

std::vector<const Proposal*> Listener::open(const std::string& step) const {
    std::vector<const Proposal*> out;
    for (const Proposal& p : proposals_) {
        if ((step.empty() || p.step == step) && !accepted(p)) out.push_back(&p);
    }
    return out;
}

void Listener::acceptAll(const std::string& step) {
    acceptAll([&](const Proposal& p) { return step.empty() || p.step == step; });
}

void Listener::acceptAll(const std::function<bool(const Proposal&)>& wanted) {
    std::vector<Proposal> kept;
    for (const Proposal* p : open()) {
        if (wanted(*p)) kept.push_back(*p);
    }
    if (!measured_ || kept.empty()) return;
    try {
        Session next = workspace_.session();
        std::vector<Why> why;
        for (const Proposal& p : kept) {
            next = ember::accept(std::move(next), p, measured_->strokes);
            why.push_back(whyOf(p));
        }
        workspace_.edit(std::move(next), {}, why);
    } catch (const Error& error) {
        problem_ = QString::fromUtf8(error.what());
        emit changed();
        return;
    }
    effectsWanted_.insert(effectsWanted_.end(), kept.begin(), kept.end());
    measureNextEffect();
}

void Listener::copyChain(const std::string& from, const std::string& to) {
    try {
        workspace_.edit(withChainCopied(workspace_.session(),
                                        measured_ ? *measured_ : KitMeasurement{}, from, to));
    } catch (const Error& error) {
        emit workspace_.refused(QString::fromUtf8(error.what()));
    }
}

void Listener::correct(const Session& base, const std::vector<StrokeEdit>& edits,
                       const std::string& gesture) {
    if (!measured_) return;
    Session next = base;
    next.strokeEdits.insert(next.strokeEdits.end(), edits.begin(), edits.end());
    next.strokes = Shared(withEdits(measured_->found, next.strokeEdits).strokes);
    workspace_.edit(std::move(next), gesture);
}

void Listener::followCorrections() {
    const Session& s = workspace_.session();
    if (!measured_ || s.strokeEdits == followed_) return;
    auto corrected = std::make_shared<KitMeasurement>(*measured_);
    corrected->strokes = withEdits(corrected->found, s.strokeEdits);
    measured_ = std::move(corrected);
    followed_ = s.strokeEdits;
    rest_.start();
}

std::vector<FoundSpot> Listener::spotsFor(const std::string& row, Column column) const {
    return ember::spotsFor(spots_, workspace_.session(), row, column);
}

void Listener::decline(const Proposal& proposal) {
    Session next = workspace_.session();
    next.declined.push_back(proposal.id);
    workspace_.edit(std::move(next));
}

// One at a time; those of buses together, and those of bleed, for which the mix is heard once.
void Listener::measureNextEffect() {
    if (effects_.isRunning() || effectsWanted_.empty() || !measured_) return;
    effect_ = std::make_shared<std::vector<Proposal>>();
    const std::string step = effectsWanted_.front().step;
    const bool together = step == "bus" || step == "bleed";
    for (std::size_t i = 0; i < effectsWanted_.size();) {
        if (!effect_->empty() && (!together || effectsWanted_[i].step != step)) {
            ++i;
            continue;
        }
        effect_->push_back(std::move(effectsWanted_[i]));
        effectsWanted_.erase(effectsWanted_.begin() + static_cast<std::ptrdiff_t>(i));
    }
    AudioStore* store = &workspace_.store();
    effects_.setFuture(QtConcurrent::run(&pool_, [this, step, wanted = effect_,
                                                  measured = measured_, store,
                                                  session = workspace_.session()] {
        const Progress go = [this](double, const std::string&) { return !abandon_.load(); };
        const std::vector<Stroke>& strokes = measured->strokes.strokes;
        try {
            if (step == "bus") {
                const BusHeard heard = hearBuses(session, *store, strokes, go);
                for (Proposal& p : *wanted) measureBusEffects(p, session, heard);
            } else if (step == "bleed") {
                const BleedHeard heard =
                    hearBleed(session, *store, strokes, bleedModelOf(session), PartsAs::turned, go);
                for (Proposal& p : *wanted) measureBleedEffects(p, session, heard);
            } else {
                measureEffects(wanted->front(), session, *measured, *store, go);
            }
        } catch (const std::exception&) {
            wanted->clear();  // the recordings say why, in the player
        }
    }));
}

void Listener::finishEffect() {
    const auto known = std::exchange(effect_, nullptr);
    if (known && !known->empty()) {
        for (const Proposal& p : *known) {
            if (!p.effects.empty()) measuredEffects_[p.id] = p.effects;
        }
        propose();
        emit changed();
    }
    measureNextEffect();
}

}  // namespace ember::app
