// Before and after: the session beside itself with something passed by, or a reference in its
// place, as loud as it is.

#include "app/widgets/figures.h"
#include "app/workers/player.h"
#include "core/base/error.h"
#include "core/engine/trace.h"
#include "core/session/recipe.h"
#include "core/session/routing.h"

#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace {

constexpr int kLongName = 20;  // letters of a reference's name that are told

// The stages of a chain that are named, as the set a plan knows.
std::uint64_t bitsOf(const Row& row, const std::vector<std::string>& named) {
    std::uint64_t bits = 0;
    for (std::size_t s = 0; s < row.chain.size(); ++s) {
        if (std::find(named.begin(), named.end(), row.chain[s].id) != named.end())
            bits |= stageBit(static_cast<int>(s));
    }
    return bits;
}

}  // namespace

void Player::endCompare() {
    if (!before_) return;
    before_ = switched_ = false;
    abandonMatch_ = true;
    hearPassed();
    idle_.start();
    compareText_.clear();
    emit compareChanged();
}

void Player::compare(bool before, CompareScope scope, const std::string& row,
                     const std::vector<std::string>& stages) {
    if (!before || plan_ == nullptr) return endCompare();
    switched_ = false;
    if (!compareWith({scope, row, stages}, workspace_.session())) endCompare();
}

void Player::matchSwitched(const std::string& row, const std::string& stage, bool on) {
    endCompare();
    const Row* r = findRow(workspace_.session(), row);
    if (on || plan_ == nullptr || r == nullptr) return;
    const Stage* s = findStage(*r, stage);
    if (s == nullptr || s->on) return;  // it was refused
    Session whole = workspace_.session();
    requireStage(requireRow(whole, row), stage).on = true;
    switched_ = true;
    compareWith({CompareScope::cell, row, {stage}}, whole);
}

bool Player::compareWith(const Compared& what, const Session& whole) {
    const Row* row = findRow(whole, what.row);
    if (ofOneRow(what.scope) &&
        (row == nullptr || (what.scope == CompareScope::cell && !what.stages.empty() &&
                            bitsOf(*row, what.stages) == 0)))
        return false;
    before_ = true;
    abandonMatch_ = true;
    matching_.waitForFinished();
    abandonMatch_ = false;
    idle_.stop();
    matchedDb_ = 0.0;
    const bool same = compared_ == what && passedBy_.number != 0;
    // What was made without effects is no plan to pass stages by in, and the other way round.
    if ((compared_.scope == CompareScope::effects) != (what.scope == CompareScope::effects))
        drop(passedBy_);
    compared_ = what;
    // One that passed something else by holds what has not sounded since.
    if (same) {
        passBy();
        hearPassed();
    } else {
        passedBy_.maker.make(passed(workspace_.session()));
    }
    match(whole);
    return true;
}

Session Player::passed(const Session& now) const {
    // What is passed by has to run.
    return withoutPrints(compared_.scope == CompareScope::effects ? withoutEffects(now) : now);
}

// Effects go out and come back on the beat, if wanted; what else is passed by is compared at once.
void Player::hearPassed() {
    listen(onBeat_ && compared_.scope == CompareScope::effects ? nextBeatAt() : -1);
}

void Player::passBy() {
    if (passedBy_.number == 0 || compared_.scope == CompareScope::effects) return;
    const bool everything = compared_.scope == CompareScope::everything;
    Audition audition{true, -1, 0, everything ? 0.0 : matchedDb_};
    const Row* row = findRow(*passedBy_.planned, compared_.row);
    if (!everything && row != nullptr) {
        audition.row = passedBy_.plan->rowIndex(compared_.row);
        if (compared_.scope == CompareScope::cell) audition.stages = bitsOf(*row, compared_.stages);
    }
    engine_.audition(audition, passedBy_.number);
}

std::array<double, 2> Player::comparedSpan(const Session& session) const {
    if (session.loop.on) return {session.loop.from, session.loop.to};
    return {position(), std::min(length(), position() + 8.0)};
}

void Player::hearReference(const std::string& row) {
    if (row == referenceRow_) return;
    referenceRow_ = row;
    referenceDb_.reset();
    if (row.empty()) {
        abandonWeighing_ = true;
        weighing_.waitForFinished();
        listen(nextBeatAt());
        drop(reference_);
    } else {
        planReference();
    }
    emit referenceChanged();
}

// What is heard of it stays, at its old gain, until its successor is there.
void Player::planReference() {
    abandonWeighing_ = true;
    weighing_.waitForFinished();
    referenceAs_ = *findRow(workspace_.session(), referenceRow_);
    PlanOptions options;
    options.onlyRows = {referenceRow_};
    reference_.maker.make(workspace_.session(), options);
    weighReference();
}

void Player::weighReference() {
    abandonWeighing_ = false;
    const auto [from, to] = comparedSpan(workspace_.session());
    weighing_.setFuture(
        QtConcurrent::run([this, session = workspace_.session(), store = &workspace_.store(),
                           row = referenceRow_, from = from, to = to] {
            try {
                return referenceGainDb(
                    session, *store, row, from, to,
                    [this](double, const std::string&) { return !abandonWeighing_.load(); });
            } catch (const std::exception&) {
                return 0.0;  // abandoned, or nothing to hear
            }
        }));
}

QString Player::referenceText() const {
    if (referenceRow_.empty()) return {};
    const Row* row = findRow(workspace_.session(), referenceRow_);
    QString name = QString::fromStdString(row != nullptr ? row->name : referenceRow_);
    if (name.size() > kLongName) name = name.left(kLongName - 1) + QStringLiteral("…");
    return referenceDb_ ? tr("%1, as loud as the mix (%2 dB)").arg(name, change(*referenceDb_))
                        : tr("%1, measuring loudness …").arg(name);
}

QString Player::comparedText() const {
    if (switched_) return tr("Off");
    return compared_.scope == CompareScope::effects ? tr("Without effects") : tr("Before");
}

// Measures in the background by how much the untouched signal has to be turned.
void Player::match(const Session& session) {
    compareText_ = tr("%1, measuring loudness …").arg(comparedText());
    emit compareChanged();
    const auto [from, to] = comparedSpan(session);
    auto gain = std::make_shared<double>(0.0);
    match_ = gain;
    const Row* r = findRow(session, compared_.row);
    const std::uint64_t stages =
        compared_.scope == CompareScope::cell && r != nullptr ? bitsOf(*r, compared_.stages) : 0;
    matching_.setFuture(QtConcurrent::run([this, gain, session, store = &workspace_.store(),
                                           what = compared_, stages, from = from, to = to] {
        const Progress watch = [this](double, const std::string&) { return !abandonMatch_.load(); };
        try {
            if (what.scope == CompareScope::effects)
                *gain = mixGainDb(withoutEffects(session), session, *store, {}, from, to, watch);
            else if (what.scope == CompareScope::everything)
                *gain = matchMixGainDb(session, *store, from, to, watch);
            else
                *gain = matchGainDb(session, *store, what.row, stages, from, to, watch);
        } catch (const std::exception&) {
            *gain = 0.0;  // abandoned, or nothing to hear: no gain is the honest one
        }
    }));
}

}  // namespace ember::app
