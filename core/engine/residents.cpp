#include "core/engine/residents.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <utility>

namespace ember {
namespace {

constexpr int kFade = 960;  // frames

}  // namespace

Residents::~Residents() {
    for (const Running& r : running_) delete r.plan;
    delete leaving_;
    delete next_;
}

Residents::Running& Residents::running(std::uint32_t number) {
    const auto at = std::find_if(running_.begin() + 1, running_.end(), [&](const Running& r) {
        return r.plan != nullptr && r.number == number && !r.dropped;
    });
    return at != running_.end() ? *at : running_.front();
}

Plan* Residents::find(std::uint32_t number) {
    if (next_ != nullptr && number == nextNumber_) return next_;
    const Running& r = running(number);
    return r.number == number ? r.plan : nullptr;
}

void Residents::setNext(Plan* plan, std::uint32_t number) {
    if (next_ != nullptr) retired_.take(next_);
    next_ = plan;
    nextNumber_ = number;
}

bool Residents::mayKeep() const {
    return std::any_of(running_.begin() + 1, running_.end(),
                       [](const Running& r) { return r.plan == nullptr; });
}

void Residents::keep(Plan* plan, std::uint32_t number, const PlanTime& time) {
    Running& free = *std::find_if(running_.begin() + 1, running_.end(),
                                  [](const Running& r) { return r.plan == nullptr; });
    free = {plan, number, PlanClock(time), plan->longestLatency(), false};
    if (running_.front().plan != nullptr) free.fill = plan->adopt(*running_.front().plan);
    meet();
}

void Residents::drop(std::uint32_t number) {
    Running& r = running(number);
    if (r.number != number || &r == &running_.front()) return;
    r.dropped = true;
    const bool wanted =
        wanted_ && (wanted_->plan == number || (wanted_->less && wanted_->less->plan == number));
    if (wanted_ ? wanted : heard_[now_].what().hears(r.plan)) wanted_ = Listen{};
    letGo();
}

void Residents::letGo() {
    for (std::size_t n = 1; n < running_.size(); ++n) {
        Running& r = running_[n];
        if (!r.dropped || heard_[0].what().hears(r.plan) || heard_[1].what().hears(r.plan))
            continue;
        retired_.take(r.plan);
        r = {};
        meet();
    }
}

int Residents::wait(const Plan* plan, int row) const {
    if (plan == nullptr) return 0;
    return std::max(0, late_ - (row < 0 ? plan->latency() : plan->latency(row)));
}

void Residents::meet() {
    late_ = 0;
    for (const Running& r : running_) {
        if (r.plan != nullptr) late_ = std::max(late_, r.plan->latency());
    }
    late_ = std::min(late_, Listening::kMostLate - kBlock);
}

void Residents::exchangeWhenDue() {
    if (next_ == nullptr || fading_) return;
    Running& own = running_.front();
    Plan* old = std::exchange(own.plan, std::exchange(next_, nullptr));
    own.number = nextNumber_;
    const Plan* plan = own.plan;
    own.fill = old != nullptr ? own.plan->adopt(*old) : 0;
    Heard heard = heard_[now_].what();
    const bool isHeard = heard.hears(old);
    meet();
    if (isHeard) {
        leaving_ = old;
        for (HeardRow* from : {&heard.row, &heard.less}) {
            const bool exchanged = from->plan == old;
            const int row =
                exchanged && from->row >= 0 ? plan->rowIndex(old->rowId(from->row)) : from->row;
            *from = heardRow(exchanged ? plan : from->plan, row, from->gain);
        }
        // Nobody hears it before what is late in it has arrived.
        fadeTo(heard, own.fill);
    } else if (old != nullptr) {
        retired_.take(old);
    } else if (heard.row.plan == nullptr && !wanted_) {
        heard_[now_].aim({heardRow(plan, -1, 1.0F), {}});
    }
}

HeardRow Residents::heardRow(const Plan* plan, int row, float gain) const {
    if (plan == nullptr) return {};
    if (row >= plan->rowCount()) row = -1;
    return {plan, row, gain, wait(plan, row)};
}

HeardRow Residents::heardRow(const Plan* plan, int row, double gainDb) const {
    return heardRow(plan, row, static_cast<float>(gainFromDb(gainDb)));
}

void Residents::listenWhenDue(const SongPlace& song) {
    if (fading_) return;
    const Heard now = heard_[now_].what();
    if (wanted_) {
        const Running& r = running(wanted_->plan);
        const bool gone = wanted_->plan != 0 && r.number != wanted_->plan;
        Heard next{heardRow(r.plan, gone ? -1 : wanted_->row, wanted_->gainDb), {}};
        Frames fill = r.fill;
        if (wanted_->less && !gone) {
            const Running& other = running(wanted_->less->plan);
            next.less = heardRow(other.plan, wanted_->less->row, wanted_->less->gainDb);
            fill = std::max(fill, other.fill);
        }
        // What is heard now was played a latency ago. It begins early enough to be filled by then.
        const std::optional<Frames> there = song.until(wanted_->at);
        const Frames until = there.value_or(-1) + late_;
        const bool waits = there && until >= 0;
        const Frames ready = std::max<Frames>(std::max(next.row.delay, next.less.delay), fill);
        if (!waits || until < kBlock + ready) {
            if (now != next) fadeTo(next, std::max(waits ? until : 0, fill));
            wanted_.reset();
            return;
        }
    }
    // A plan that is later than all before has come: what is heard waits for it too.
    const Heard met{heardRow(now.row.plan, now.row.row, now.row.gain),
                    heardRow(now.less.plan, now.less.row, now.less.gain)};
    if (met != now) fadeTo(met, 0);
}

void Residents::fadeTo(const Heard& what, Frames after) {
    now_ = 1 - now_;
    heard_[now_].aim(what);
    fading_ = true;
    fadeAt_ = -static_cast<int>(std::max<Frames>(after, std::max(what.row.delay, what.less.delay)));
}

void Residents::endFade() {
    fading_ = false;
    heard_[1 - now_].aim({});
    if (leaving_ != nullptr) retired_.take(std::exchange(leaving_, nullptr));
    letGo();
}

void Residents::prepareBlock(const SongPlace& song) {
    exchangeWhenDue();
    listenWhenDue(song);
}

void Residents::run(const BlockPlay& song, float* left, float* right) {
    for (Running& r : running_) {
        if (r.plan == nullptr) continue;
        const BlockPlay own = r.clock.of(song);
        r.plan->run({&own, 1});
        r.fill = std::max<Frames>(0, r.fill - kBlock);
    }
    if (leaving_ != nullptr) leaving_->run({&song, 1});
    heard_[now_].read(left, right);
    if (!fading_) return;
    float before[2][kBlock];
    heard_[1 - now_].read(before[0], before[1]);
    for (int i = 0; i < kBlock; ++i) {
        const double t = std::clamp(static_cast<double>(fadeAt_ + i) / kFade, 0.0, 1.0);
        const auto weight = static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * t));
        left[i] = weight * left[i] + (1.0F - weight) * before[0][i];
        right[i] = weight * right[i] + (1.0F - weight) * before[1][i];
    }
    fadeAt_ += kBlock;
    if (fadeAt_ >= kFade) endFade();
}

std::uint32_t Residents::heard() const {
    for (std::size_t n = 1; n < running_.size(); ++n) {
        if (running_[n].plan != nullptr && running_[n].plan == heard_[now_].what().row.plan)
            return running_[n].number;
    }
    return 0;
}

std::int64_t Residents::stoppedBlocks() const {
    std::int64_t all = 0;
    for (const Running& r : running_) all += r.plan != nullptr ? r.plan->stoppedBlocks() : 0;
    return all;
}

}  // namespace ember
