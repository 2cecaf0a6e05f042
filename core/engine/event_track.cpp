#include "core/engine/event_track.h"

#include <algorithm>

namespace ember {
namespace {

using Mode = BlockPlay::Mode;

// A stretch of song time, some frames long.
struct Stretch {
    Frames from = 0, frames = 0;
};

// The way the transport goes from `ahead` frames after the block's start on, stretch by stretch.
template <class Visit>
void wayAhead(const BlockPlay& play, Frames ahead, Frames frames, Visit visit) {
    Frames at = play.position;
    const bool loops = play.loopTo > play.loopFrom && at < play.loopTo;
    const auto step = [&](Frames most) {
        const Frames left = loops ? play.loopTo - at : most;
        const Frames part = std::min(most, left);
        const Stretch stretch{at, part};
        at += part;
        if (loops && at >= play.loopTo) at = play.loopFrom;
        return stretch;
    };
    while (ahead > 0) ahead -= step(ahead).frames;
    while (frames > 0) {
        const Stretch s = step(frames);
        visit(s);
        frames -= s.frames;
    }
}

bool sounds(const BlockPlay& play) {
    return play.mode != Mode::silent;
}

}  // namespace

void TimeLine::prepare(Frames frames, int maxBlocks) {
    past_ = static_cast<int>(frames / kBlock) + 3;
    run_ = 0;
    blocks_.assign(static_cast<std::size_t>(past_) + static_cast<std::size_t>(maxBlocks),
                   {Mode::silent, 0, 0});
}

void TimeLine::begin(std::span<const BlockPlay> blocks) {
    // What was the run belongs to the past now.
    std::copy(blocks_.begin() + run_, blocks_.begin() + run_ + past_, blocks_.begin());
    run_ = static_cast<int>(blocks.size());
    std::copy(blocks.begin(), blocks.end(), blocks_.begin() + past_);
}

void TimeLine::adopt(const TimeLine& other) {
    for (int b = 1; b <= past_; ++b) {
        const int from = other.run_ - b;
        blocks_[static_cast<std::size_t>(past_ + run_ - b)] =
            from >= -other.past_ ? other.at(from) : BlockPlay{Mode::silent, 0, 0};
    }
}

const BlockPlay& TimeLine::at(int block) const {
    return blocks_[static_cast<std::size_t>(std::max(0, past_ + block))];
}

bool TimeLine::starts(int block) const {
    const BlockPlay &before = at(block - 1), &now = at(block);
    if (!sounds(now)) return false;
    return !sounds(before) || before.mode == Mode::fadeOut ||
           before.position + kBlock != now.position;
}

bool TimeLine::wraps(int block) const {
    const BlockPlay &before = at(block - 1), &now = at(block);
    return sounds(before) && before.mode != Mode::fadeOut && before.loopTo > before.loopFrom &&
           before.position < before.loopTo && before.position + kBlock >= before.loopTo &&
           now.position == before.loopFrom;
}

EventTrack::EventTrack(std::vector<Event> events, Frames mostAhead) : events_(std::move(events)) {
    if (events_.empty()) return;
    // As many as can fall into a block, or into what a start must catch up with; a short loop may
    // bring the same ones several times.
    std::size_t most = 0, first = 0;
    for (std::size_t i = 0; i < events_.size(); ++i) {
        while (events_[i].frame - events_[first].frame >= kBlock) ++first;
        most = std::max(most, i - first + 1);
    }
    const auto blocks = static_cast<std::size_t>(std::max<Frames>(0, mostAhead) / kBlock + 2);
    told_.resize(most * 2 * (blocks + 2) + 3);
}

std::size_t EventTrack::firstFrom(Frames frame) const {
    return static_cast<std::size_t>(
        std::lower_bound(events_.begin(), events_.end(), frame,
                         [](const Event& e, Frames f) { return e.frame < f; }) -
        events_.begin());
}

void EventTrack::put(int frame, Frames age, const Event& event) {
    told_[count_++] = {frame, age, false, event};
}

void EventTrack::between(Frames from, Frames frames, int at) {
    for (std::size_t i = firstFrom(from); i < events_.size() && events_[i].frame < from + frames;
         ++i)
        put(at + static_cast<int>(events_[i].frame - from), 0, events_[i]);
}

void EventTrack::start(Frames here, int at) {
    told_[count_++] = {at, 0, true, {}};
    if (const std::size_t next = firstFrom(here); next > 0)
        put(at, here - events_[next - 1].frame, events_[next - 1]);
}

void EventTrack::startAhead(const BlockPlay& play, Frames ahead) {
    told_[count_++] = {0, ahead, true, {}};
    if (const std::size_t next = firstFrom(play.position); next > 0)
        put(0, ahead + play.position - events_[next - 1].frame, events_[next - 1]);
    Frames passed = 0;
    wayAhead(play, 0, ahead, [&](const Stretch& s) {
        for (std::size_t i = firstFrom(s.from);
             i < events_.size() && events_[i].frame < s.from + s.frames; ++i)
            put(0, ahead - passed - (events_[i].frame - s.from), events_[i]);
        passed += s.frames;
    });
}

// What lies ahead was told before the wrap; only where there is nothing, the stroke that sounds
// from before the loop's start still does.
void EventTrack::wrapAhead(const BlockPlay& play, Frames ahead) {
    bool known = false;
    wayAhead(play, 0, ahead, [&](const Stretch& s) {
        const std::size_t i = firstFrom(s.from);
        known = known || (i < events_.size() && events_[i].frame < s.from + s.frames);
    });
    if (!known) startAhead(play, ahead);
}

std::span<const BlockEvent> EventTrack::in(const TimeLine& time, int block, Frames delay,
                                           bool fresh) {
    count_ = 0;
    if (events_.empty()) return {};
    if (delay < 0) {
        const BlockPlay& play = time.at(block);
        if (!sounds(play) || play.mode == Mode::fadeOut) return {};
        if (fresh || (time.starts(block) && !time.wraps(block)))
            startAhead(play, -delay);
        else if (time.wraps(block))
            wrapAhead(play, -delay);
        int at = 0;
        wayAhead(play, -delay, kBlock, [&](const Stretch& s) {
            between(s.from, s.frames, at);
            at += static_cast<int>(s.frames);
        });
        return {told_.data(), count_};
    }
    // The block's frames come from the end of one block that was played and the beginning of the
    // next.
    const int back = static_cast<int>(delay / kBlock), rest = static_cast<int>(delay % kBlock);
    const BlockPlay &older = time.at(block - back - 1), &newer = time.at(block - back);
    if (rest > 0 && sounds(older)) {
        if (fresh) start(older.position + kBlock - rest, 0);
        between(older.position + kBlock - rest, rest, 0);
    }
    if (sounds(newer)) {
        if (time.starts(block - back) || (fresh && rest == 0)) start(newer.position, rest);
        between(newer.position, kBlock - rest, rest);
    }
    return {told_.data(), count_};
}

}  // namespace ember
