#include "app/workers/player.h"

#include "app/widgets/figures.h"
#include "core/base/error.h"
#include "core/engine/trace.h"

#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr int kTickMs = 33;
constexpr double kLoudDb = -18.0;  // monitor RMS that counts as loud listening
constexpr double kLoudOver = 3.0;  // seconds of its average
constexpr int kIdleMs = 20000;     // a plan that is not heard any more is kept that long

}  // namespace

Player::Player(Workspace& workspace, OpenDevice open, QObject* parent)
    : QObject(parent),
      workspace_(workspace),
      open_(std::move(open)),
      maker_(workspace),
      preview_(workspace),
      reference_(workspace),
      variants_{Variant(workspace), Variant(workspace)},
      passedBy_(workspace) {
    connect(&workspace_, &Workspace::opened, this, [this] {
        stop();
        seek(0.0);  // another song begins at its beginning
        endCompare();
        endPreview();
        hearReference({});
        endVariants();
        drop(passedBy_);
        fresh_ = true;
        maker_.abandon();
        sync();
        if (!workspace_.empty() &&
            (device_ == nullptr || request_.sampleRate != workspace_.session().sampleRate))
            openDevice();
    });
    connect(&workspace_, &Workspace::changed, this, [this] {
        endPreview();
        sync();
    });
    connect(&maker_, &PlanMaker::made, this,
            [this](const std::shared_ptr<PlanMaker::Made>& made) { install(*made); });
    connect(&preview_.maker, &PlanMaker::made, this,
            [this](const std::shared_ptr<PlanMaker::Made>& made) {
                keep(preview_, *made);
                if (preview_.number == 0) return previewed_.reset();
                previewBefore_ = std::exchange(previewNumber_, preview_.number);
                setLoop(*previewed_);
                listen(previewHeard_ ? -1 : nextBeatAt());
            });
    connect(&passedBy_.maker, &PlanMaker::made, this,
            [this](const std::shared_ptr<PlanMaker::Made>& made) {
                keep(passedBy_, *made);
                passBy();
                if (before_) hearPassed();
                sync();
            });
    connect(&reference_.maker, &PlanMaker::made, this,
            [this](const std::shared_ptr<PlanMaker::Made>& made) {
                keep(reference_, *made);
                if (reference_.number == 0) return hearReference({});
                if (referenceDb_) listen(nextBeatAt());
            });
    connect(&weighing_, &QFutureWatcher<double>::finished, this, [this] {
        if (referenceRow_.empty() || abandonWeighing_) return;
        referenceDb_ = weighing_.result();
        // Not before its level is right: nobody should prefer it for being louder.
        if (reference_.number != 0) listen(nextBeatAt());
        emit referenceChanged();
    });
    for (std::size_t side = 0; side < variants_.size(); ++side) {
        connect(&variants_[side].beside.maker, &PlanMaker::made, this,
                [this, side](const std::shared_ptr<PlanMaker::Made>& made) {
                    variantMade(side, *made);
                });
    }
    connect(&weighingVariants_, &QFutureWatcher<double>::finished, this, [this] {
        if (!comparing_ || abandonVariants_) return;
        variantDb_ = weighingVariants_.result();
        if (variantsReady()) listen(nextBeatAt());
        emit variantChanged();
    });
    connect(&matching_, &QFutureWatcher<void>::finished, this, [this] {
        if (!before_ || !match_ || abandonMatch_) return;
        matchedDb_ = *match_;
        passBy();
        hearPassed();
        compareText_ = tr("%1, level-matched (%2 dB)").arg(comparedText(), change(matchedDb_));
        emit compareChanged();
    });
    // Two plans cost twice what one does.
    idle_.setSingleShot(true);
    idle_.setInterval(kIdleMs);
    connect(&idle_, &QTimer::timeout, this, [this] {
        if (!before_) drop(passedBy_);
    });
    connect(&timer_, &QTimer::timeout, this, &Player::poll);
    timer_.start(kTickMs);
}

Player::~Player() {
    abandonMatch_ = abandonWeighing_ = abandonVariants_ = true;
    matching_.waitForFinished();
    weighingVariants_.waitForFinished();
    weighing_.waitForFinished();
    device_.reset();
}

// --- Plans ------------------------------------------------------------------------

void Player::sync() {
    if (workspace_.empty() || maker_.busy()) return;
    const Session& now = workspace_.session();
    if (fresh_ || plan_ == nullptr || !follow(*plan_, planned_, now, planNumber_)) {
        fresh_ = false;
        maker_.make(now);
    }
    if (!referenceRow_.empty()) {
        const Row* row = findRow(now, referenceRow_);
        if (row == nullptr)
            hearReference({});
        else if (*row != referenceAs_)
            planReference();
    }
    if (passedBy_.number == 0 || passedBy_.maker.busy() ||
        follow(*passedBy_.plan, *passedBy_.planned, passed(now), passedBy_.number))
        return;
    if (before_)
        passedBy_.maker.make(passed(now));
    else
        drop(passedBy_);
}

bool Player::follow(Plan& plan, Session& planned, const Session& now, std::uint32_t number) {
    const SessionDiff difference = diff(planned, now);
    if (difference.structural) return false;
    for (const Move& move : difference.moves) {
        const int row = plan.rowIndex(move.row);
        if (row >= 0)
            engine_.move({move.kind, row, move.stage, move.parameter, move.value}, number, moveAt_);
    }
    if (number == planNumber_ && (planned.loop != now.loop || planned.sampleRate != now.sampleRate))
        setLoop(now);
    planned = now;
    return true;
}

void Player::moveWhenWanted(const std::function<void()>& edit) {
    moveAt_ = onBeat_ ? nextBeatAt() : -1;
    edit();
    moveAt_ = -1;
}

void Player::setLoop(const Session& of) {
    engine_.setLoop(of.loop.on, static_cast<Frames>(of.loop.from * of.sampleRate),
                    static_cast<Frames>(of.loop.to * of.sampleRate));
}

void Player::install(PlanMaker::Made& made) {
    if (!made.error.isEmpty()) {
        emit problem(made.error);
        // What cannot be compiled is not tried again before it has changed.
        if (!(made.session == workspace_.session())) sync();
        return;
    }
    for (const std::string& sentence : made.plan->problems())
        emit problem(QString::fromStdString(sentence));
    plan_ = made.plan.get();
    planned_ = std::move(made.session);
    const double rate = planned_.sampleRate;
    const auto now = static_cast<Frames>(position() * rate);
    plan_->prefetch(now, now + static_cast<Frames>(4.0 * rate));
    planNumber_ = engine_.setPlan(std::move(made.plan), rate);
    if (!previewed_) setLoop(planned_);
    if (before_ && findRow(planned_, compared_.row) == nullptr && ofOneRow(compared_.scope))
        endCompare();
    emit planReady();
    sync();
}

void Player::keep(Beside& beside, PlanMaker::Made& made) {
    const std::uint32_t old = beside.number;
    beside.number = 0;
    beside.plan = nullptr;
    if (made.error.isEmpty()) {
        for (const std::string& sentence : made.plan->problems())
            emit problem(QString::fromStdString(sentence));
        beside.planned = std::move(made.session);
        beside.plan = made.plan.get();
        const double rate = beside.planned->sampleRate;
        const auto now = static_cast<Frames>(position() * rate);
        beside.plan->prefetch(now, now + static_cast<Frames>(4.0 * rate));
        beside.number = engine_.keep(std::move(made.plan), rate);
    } else {
        emit problem(made.error);
    }
    // Heard, it stays until its successor is.
    if (old != 0) {
        if (beside.number != 0) listen();
        engine_.drop(old);
    }
}

void Player::drop(Beside& beside) {
    beside.maker.abandon();
    if (beside.number != 0) engine_.drop(beside.number);
    beside.number = 0;
    beside.plan = nullptr;
}

// --- What is heard ----------------------------------------------------------------

const Session& Player::wanted() const {
    return previewed_ ? *previewed_ : workspace_.session();
}

void Player::listen(Frames at) {
    Listen what;
    what.at = at;
    if (previewed_ && preview_.number != 0) {
        what.plan = preview_.number;
        what.gainDb = previewDb_;
    } else if (!referenceRow_.empty() && reference_.number != 0 && referenceDb_) {
        what.plan = reference_.number;
        what.row = reference_.plan->rowIndex(referenceRow_);
        what.gainDb = *referenceDb_;
    } else if (heardSide_ && variantsReady()) {
        const Frames when = what.at;
        what = variantHeard();
        what.at = when;
    } else if (before_ && passedBy_.number != 0) {
        what.plan = passedBy_.number;
        what.gainDb = ofOneRow(compared_.scope) ? 0.0 : matchedDb_;
    }
    engine_.listen(what);
}

Frames Player::nextBeatAt() const {
    if (!playing_) return -1;
    // Time for a plan to be filled, and for the command to arrive.
    constexpr double kAhead = 0.06;
    const Session& s = workspace_.empty() ? wanted() : workspace_.session();
    const double now = position() +
                       (polled_.isValid() ? 1e-3 * static_cast<double>(polled_.elapsed()) : 0.0),
                 next = nextBeat(s.time, now + kAhead);
    const double heard =
        s.loop.on && now < s.loop.to && next >= s.loop.to ? next - s.loop.to + s.loop.from : next;
    return static_cast<Frames>(std::llround(heard * s.sampleRate));
}

void Player::preview(std::optional<Session> instead, double gainDb) {
    if (!instead && !previewed_) return;
    previewed_ = std::move(instead);
    previewDb_ = gainDb;
    if (previewed_) return preview_.maker.make(*previewed_);
    listen(nextBeatAt());
    drop(preview_);
    setLoop(workspace_.session());
}

// At once: what is edited is what is heard.
void Player::endPreview() {
    if (!previewed_) return;
    previewed_.reset();
    listen();
    drop(preview_);
    setLoop(workspace_.session());
}

void Player::showPreview(bool heard) {
    if (std::exchange(previewHeard_, heard) == heard) return;
    // What is heard alone is heard from its loop on.
    const LoopSpan& loop = wanted().loop;
    if (heard && loop.on && (position() < loop.from || position() >= loop.to)) seek(loop.from);
    emit previewChanged(heard);
}

void Player::openDevice() {
    device_.reset();
    unplugged_ = false;
    request_.sampleRate = wanted().rows.empty() ? 48000 : wanted().sampleRate;
    std::string why;
    try {
        device_ = open_(
            request_,
            [this](float* left, float* right, int frames) { engine_.process(left, right, frames); },
            why);
    } catch (const std::exception& e) {
        why = e.what();
    }
    deviceNote_ = QString::fromStdString(why);
    emit deviceChanged();
}

void Player::useDevice(const DeviceRequest& request) {
    request_ = request;
    openDevice();
}

DeviceState Player::device() const {
    return device_ != nullptr ? device_->state() : DeviceState{};
}

void Player::play() {
    if (wanted().rows.empty() || playing_) return;
    if (device_ == nullptr || !device_->state().running) openDevice();
    const LoopSpan& loop = wanted().loop;
    if (loop.on && (position() < loop.from || position() >= loop.to)) seek(loop.from);
    if (!loop.on && position() >= length() - 0.01) seek(0.0);
    engine_.play(countIn());
    playing_ = true;
    emit playingChanged(true);
}

void Player::stop() {
    if (!playing_) return;
    engine_.stop();
    playing_ = false;
    emit playingChanged(false);
}

void Player::seek(double seconds) {
    if (wanted().rows.empty()) return;
    const double rate = wanted().sampleRate;
    const auto to = static_cast<Frames>(std::clamp(seconds, 0.0, std::max(0.0, length())) * rate);
    prefetch(to, static_cast<Frames>(4.0 * rate));
    engine_.seek(to);
    shown_.position = to;
    emit tick();
}

double Player::position() const {
    return workspace_.empty()
               ? 0.0
               : static_cast<double>(shown_.position) / workspace_.session().sampleRate;
}
double Player::length() const {
    const bool alone = workspace_.empty();
    const Plan* plan = alone ? preview_.plan : plan_;
    return plan != nullptr ? static_cast<double>(plan->length()) / plan->sampleRate() : 0.0;
}

void Player::prefetch(Frames from, Frames frames) const {
    for (const Plan* plan : {plan_, preview_.plan, passedBy_.plan, reference_.plan,
                             variants_[0].beside.plan, variants_[1].beside.plan}) {
        if (plan != nullptr) plan->prefetch(from, from + frames);
    }
}

// A second from the playhead on, and where the loop begins: nothing there is fetched from a disk
// just when it is played.
void Player::holdAround(Frames position) {
    if (plan_ == nullptr) return;
    const double rate = plan_->sampleRate();
    const auto second = static_cast<Frames>(rate);
    const Frames from = position / (second / 4) * (second / 4);
    std::vector<FrameSpan> around{{from, from + second + second / 4}};
    if (const LoopSpan& loop = wanted().loop; loop.on) {
        const auto begin = static_cast<Frames>(loop.from * rate);
        around.push_back({begin, begin + second / 2});
    }
    if (heldBy_ == planNumber_ && held_ == around) return;
    heldBy_ = planNumber_;
    held_ = around;
    plan_->hold(held_);
}

void Player::setMonitorDb(double db) {
    monitorDb_ = db;
    engine_.setMonitorDb(db);
}

void Player::poll() {
    engine_.collect();
    MeterFrame next;
    bool any = false;
    MeterFrame merged;
    double energy = 0.0;
    int readings = 0;
    while (engine_.poll(next)) {
        const MeterFrame old = std::exchange(merged, next);
        for (int c = 0; c < 2 && any; ++c)
            merged.monitorPeak[c] = std::max(merged.monitorPeak[c], old.monitorPeak[c]);
        any = true;
        energy += static_cast<double>(next.monitorMeanSquare);
        ++readings;
    }
    if (any) {
        shown_ = merged;
        polled_.start();
        takeMeters();
        showPreview(shown_.heard != 0 &&
                    (shown_.heard == previewNumber_ || shown_.heard == previewBefore_));
        // Loudness is judged over seconds, not by single blocks' peaks.
        loudMean_ += (energy / readings - loudMean_) * (kTickMs / 1000.0 / kLoudOver);
        if (playing_ && 10.0 * std::log10(loudMean_ + 1e-12) > kLoudDb)
            loudSeconds_ += kTickMs / 1000.0;
    }
    holdAround(shown_.position);
    if (playing_) {
        const auto ahead = static_cast<Frames>(4.0 * wanted().sampleRate);
        prefetch(shown_.position, ahead);
        const LoopSpan& loop = wanted().loop;
        if (loop.on) prefetch(static_cast<Frames>(loop.from * wanted().sampleRate), ahead);
        // Who plays along may go on behind the end.
        if (!loop.on && !keeping_ && position() >= length()) {
            stop();
            seek(0.0);
        }
    }
    takeStruck();
    if (device_ != nullptr && !unplugged_ && !device_->state().running) {
        unplugged_ = true;
        stop();
        emit problem(QString::fromStdString(device_->state().problem));
        emit deviceChanged();
    }
    emit tick();
}

}  // namespace ember::app
