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

}  // namespace

Player::Player(Workspace& workspace, OpenDevice open, QObject* parent)
    : QObject(parent), workspace_(workspace), open_(std::move(open)) {
    connect(&workspace_, &Workspace::opened, this, [this] {
        stop();
        endCompare();
        preview_.reset();
        waiting_.reset();
        fresh_ = true;
        loudSeconds_ = 0.0;
        abandon_ = true;
        if (!compiling_.isRunning()) sync();
        if (!workspace_.empty() &&
            (device_ == nullptr || request_.sampleRate != workspace_.session().sampleRate))
            openDevice();
    });
    connect(&workspace_, &Workspace::changed, this, [this] {
        preview_.reset();
        waiting_.reset();
        sync();
    });
    beat_.setSingleShot(true);
    beat_.setTimerType(Qt::PreciseTimer);
    connect(&beat_, &QTimer::timeout, this, [this] {
        if (waiting_) install(beatAt_);
    });
    connect(&compiling_, &QFutureWatcher<void>::finished, this, &Player::compiled);
    connect(&matching_, &QFutureWatcher<void>::finished, this, [this] {
        if (!before_ || !match_ || abandonMatch_) return;
        const double gain = *match_;
        matchedDb_ = gain;
        const bool whole = audition_.row < 0;
        audition_.gainDb = whole ? 0.0 : gain;
        engine_.audition(audition_, whole ? gain : 0.0);
        compareText_ =
            (switched_ ? tr("Off, level-matched (%1 dB)") : tr("Before, level-matched (%1 dB)"))
                .arg(change(gain));
        emit compareChanged();
    });
    connect(&timer_, &QTimer::timeout, this, &Player::poll);
    timer_.start(kTickMs);
}

Player::~Player() {
    abandon_ = true;
    abandonMatch_ = true;
    compiling_.waitForFinished();
    matching_.waitForFinished();
    device_.reset();
}

void Player::sync() {
    if ((workspace_.empty() && !preview_) || compiling_.isRunning() || waiting_) return;
    if (fresh_ || plan_ == nullptr) {
        compileNow();
        return;
    }
    const Session& now = wanted();
    const SessionDiff difference = diff(planned_, now);
    if (difference.structural) {
        compileNow();
        return;
    }
    for (const Move& move : difference.moves) {
        const int row = plan_->rowIndex(move.row);
        if (row >= 0) engine_.move({move.kind, row, move.stage, move.parameter, move.value});
    }
    if (planned_.loop != now.loop || planned_.sampleRate != now.sampleRate) {
        engine_.setLoop(now.loop.on, static_cast<Frames>(now.loop.from * now.sampleRate),
                        static_cast<Frames>(now.loop.to * now.sampleRate));
    }
    planned_ = now;
}

void Player::compileNow() {
    abandon_ = false;
    fresh_ = false;
    auto result = std::make_shared<Compiled>();
    result->session = wanted();
    result_ = result;
    AudioStore* store = &workspace_.store();
    compiling_.setFuture(QtConcurrent::run([this, result, store] {
        try {
            result->plan = compile(result->session, *store, {},
                                   [this](double, const std::string&) { return !abandon_.load(); });
        } catch (const Cancelled&) {
            return;
        } catch (const std::exception& e) {
            result->error = QString::fromUtf8(e.what());
        }
    }));
}

void Player::compiled() {
    const auto result = std::exchange(result_, nullptr);
    if (result && result->plan && !abandon_) {
        for (const std::string& sentence : result->plan->problems())
            emit problem(QString::fromStdString(sentence));
        waiting_ = result;
        // Another order is judged by ear: it changes on the beat.
        if (playing_ && preview_.has_value() != previewHeard_) {
            waitForBeat();
            return;
        }
        install(-1);
        return;
    }
    if (result && !result->error.isEmpty()) {
        emit problem(result->error);
    } else if (abandon_) {
        fresh_ = true;
    }
    sync();
}

void Player::install(Frames at) {
    const auto result = std::exchange(waiting_, nullptr);
    plan_ = result->plan.get();
    planned_ = result->session;
    const double rate = planned_.sampleRate;
    const auto now = static_cast<Frames>(position() * rate);
    plan_->prefetch(now, now + static_cast<Frames>(4.0 * rate));
    planNumber_ = engine_.setPlan(std::move(result->plan), rate, at);
    engine_.setLoop(planned_.loop.on, static_cast<Frames>(planned_.loop.from * rate),
                    static_cast<Frames>(planned_.loop.to * rate));
    // What was being compared goes on being so, wherever it stands now.
    if (before_ && placeAudition(planned_))
        engine_.audition(audition_, audition_.row < 0 ? matchedDb_ : 0.0);
    else
        endCompare();
    emit planReady();
    if (previewHeard_ != preview_.has_value()) {
        previewHeard_ = preview_.has_value();
        // What is heard alone is heard from its loop on.
        const LoopSpan& loop = planned_.loop;
        if (previewHeard_ && loop.on && (position() < loop.from || position() >= loop.to))
            seek(loop.from);
        emit previewChanged(previewHeard_);
    }
    sync();
}

const Session& Player::wanted() const {
    return preview_ ? *preview_ : workspace_.session();
}

void Player::preview(std::optional<Session> instead) {
    if (!instead && !preview_) return;
    preview_ = std::move(instead);
    waiting_.reset();
    sync();
}

// The plan goes to the engine shortly before the beat; the engine's own clock does the rest.
void Player::waitForBeat() {
    constexpr double kAhead = 0.05;
    const Session& s = workspace_.session();
    const double now = position() +
                       (polled_.isValid() ? 1e-3 * static_cast<double>(polled_.elapsed()) : 0.0),
                 next = nextBeat(s.time, now + kAhead);
    const double heard =
        s.loop.on && now < s.loop.to && next >= s.loop.to ? next - s.loop.to + s.loop.from : next;
    beatAt_ = static_cast<Frames>(std::llround(heard * s.sampleRate));
    beat_.start(static_cast<int>(1000.0 * (next - now - kAhead)));
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
    engine_.play();
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
    if (plan_ != nullptr) plan_->prefetch(to, to + static_cast<Frames>(4.0 * rate));
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
    return plan_ != nullptr ? static_cast<double>(plan_->length()) / planned_.sampleRate : 0.0;
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
        // Loudness is judged over seconds, not by single blocks' peaks.
        loudMean_ += (energy / readings - loudMean_) * (kTickMs / 1000.0 / kLoudOver);
        if (playing_ && 10.0 * std::log10(loudMean_ + 1e-12) > kLoudDb)
            loudSeconds_ += kTickMs / 1000.0;
    }
    if (playing_ && plan_ != nullptr) {
        const auto ahead = static_cast<Frames>(4.0 * planned_.sampleRate);
        plan_->prefetch(shown_.position, shown_.position + ahead);
        if (planned_.loop.on) {
            const auto from = static_cast<Frames>(planned_.loop.from * planned_.sampleRate);
            plan_->prefetch(from, from + ahead);
        }
        if (!planned_.loop.on && shown_.position >= plan_->length()) {
            stop();
            seek(0.0);
        }
    }
    if (device_ != nullptr && !unplugged_ && !device_->state().running) {
        unplugged_ = true;
        stop();
        emit problem(QString::fromStdString(device_->state().problem));
        emit deviceChanged();
    }
    emit tick();
}

// Until the newest plan is heard, what is measured stands in other places.
void Player::takeMeters() {
    if (plan_ == nullptr || shown_.plan != planNumber_) return meters_.clear();
    meters_.resize(static_cast<std::size_t>(plan_->rowCount()));
    for (int row = 0; row < plan_->rowCount(); ++row)
        plan_->takeMeter(row, meters_[static_cast<std::size_t>(row)]);
}

const RowMeter* Player::meter(const std::string& id) const {
    const int row = plan_ != nullptr ? plan_->rowIndex(id) : -1;
    return row >= 0 && row < std::ssize(meters_) ? &meters_[static_cast<std::size_t>(row)]
                                                 : nullptr;
}

void Player::endCompare() {
    if (!before_) return;
    before_ = switched_ = false;
    abandonMatch_ = true;
    audition_ = {};
    engine_.audition(audition_, 0.0);
    compareText_.clear();
    emit compareChanged();
}

void Player::compare(bool before, CompareScope scope, const std::string& row,
                     const std::vector<std::string>& stages) {
    if (!before || plan_ == nullptr) {
        endCompare();
        return;
    }
    abandonMatch_ = true;
    matching_.waitForFinished();
    abandonMatch_ = false;
    before_ = true;
    switched_ = false;
    audition_ = Audition{true, -1, 0, 0.0};
    matchedDb_ = 0.0;
    compared_ = {scope, row, stages};
    const Session& session = workspace_.session();
    if (!placeAudition(session)) return endCompare();
    match(scope, row, session);
}

bool Player::placeAudition(const Session& session) {
    audition_.row = -1;
    audition_.stages = 0;
    if (compared_.scope == CompareScope::everything) return true;
    audition_.row = plan_->rowIndex(compared_.row);
    const Row* r = findRow(session, compared_.row);
    if (audition_.row < 0 || r == nullptr) return false;
    if (compared_.scope != CompareScope::cell) return true;
    for (std::size_t s = 0; s < r->chain.size(); ++s) {
        const auto& named = compared_.stages;
        if (std::find(named.begin(), named.end(), r->chain[s].id) != named.end())
            audition_.stages |= stageBit(static_cast<int>(s));
    }
    return audition_.stages != 0 || compared_.stages.empty();
}

void Player::matchSwitched(const std::string& row, const std::string& stage, bool on) {
    endCompare();
    const Row* r = findRow(workspace_.session(), row);
    if (on || plan_ == nullptr || r == nullptr) return;
    const Stage* s = findStage(*r, stage);
    if (s == nullptr || s->on) return;  // it was refused
    abandonMatch_ = true;
    matching_.waitForFinished();
    abandonMatch_ = false;
    before_ = switched_ = true;
    audition_ = Audition{true, -1, 0, 0.0};
    matchedDb_ = 0.0;
    compared_ = {CompareScope::cell, row, {stage}};
    if (!placeAudition(workspace_.session())) return endCompare();
    Session whole = workspace_.session();
    requireStage(requireRow(whole, row), stage).on = true;
    match(CompareScope::cell, row, whole);
}

// Measures in the background by how much the untouched signal has to be turned.
void Player::match(CompareScope scope, const std::string& row, const Session& session) {
    compareText_ = switched_ ? tr("Off, measuring loudness …") : tr("Before, measuring loudness …");
    emit compareChanged();
    const double from = session.loop.on ? session.loop.from : position();
    const double to = session.loop.on ? session.loop.to : std::min(length(), from + 8.0);
    auto gain = std::make_shared<double>(0.0);
    match_ = gain;
    AudioStore* store = &workspace_.store();
    const std::uint64_t which = audition_.stages;
    matching_.setFuture(QtConcurrent::run([this, gain, session, store, row, which, scope, from,
                                           to] {
        const Progress watch = [this](double, const std::string&) { return !abandonMatch_.load(); };
        try {
            *gain = scope == CompareScope::everything
                        ? matchMixGainDb(session, *store, from, to, watch)
                        : matchGainDb(session, *store, row, which, from, to, watch);
        } catch (const std::exception&) {
            *gain = 0.0;  // abandoned, or nothing to hear: no gain is the honest one
        }
    }));
}

}  // namespace ember::app
