#include "core/session/pattern.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/random.h"
#include "core/session/drum.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>

namespace ember {
namespace {

// What a key strikes that has no usual drum.
const std::string kKeyDrum = "key-";

struct Usual {
    int key;
    const char* drum;
    int articulation;
};
// General MIDI Level 1, percussion; of several keys for one thing the first is the one written.
constexpr std::array<Usual, 28> kUsual{
    {{36, "kick", 0},      {35, "kick", 0},        {38, "snare", 0},      {40, "snare", 0},
     {37, "snare", 1},     {42, "hihat", 0},       {44, "hihat", 0},      {46, "hihat", 1},
     {50, "rack-tom", 0},  {48, "rack-tom-2", 0},  {47, "rack-tom-3", 0}, {45, "rack-tom-4", 0},
     {43, "floor-tom", 0}, {41, "floor-tom-2", 0}, {49, "crash", 0},      {57, "crash-2", 0},
     {52, "crash-3", 0},   {55, "crash-4", 0},     {51, "ride", 0},       {59, "ride", 0},
     {53, "ride", 1},      {39, "clap", 0},        {54, "tambourine", 0}, {48, "tom", 0},
     {45, "tom-2", 0},     {43, "tom-3", 0},       {41, "tom-4", 0},      {56, "percussion", 0}}};

double gridMs(const Pattern& pattern, const TimeMap& time, const Note& note, int perQuarter,
              double* nearest = nullptr) {
    const double quarter = static_cast<double>(note.tick) / pattern.pulses;
    const double at = std::round(quarter * perQuarter) / perQuarter;
    if (nearest != nullptr) *nearest = at;
    return 1e3 * (secondsAt(time, quarter) - secondsAt(time, at));
}

}  // namespace

KeyMapping usualMapping(int key) {
    for (const Usual& u : kUsual) {
        if (u.key == key) return {key, u.drum, u.articulation};
    }
    return {key, kKeyDrum + std::to_string(key), 0};
}

int usualKey(std::string_view drum, int articulation) {
    for (const int way : {articulation, 0}) {
        for (const Usual& u : kUsual) {
            if (u.drum == drum && u.articulation == way) return u.key;
        }
    }
    if (drum.starts_with(kKeyDrum)) {
        const std::string number(drum.substr(kKeyDrum.size()));
        if (const int key = std::atoi(number.c_str()); key >= 0 && key < 128) return key;
    }
    switch (drumFamily(drum)) {
        case DrumFamily::kick:
            return 36;
        case DrumFamily::snare:
            return 38;
        case DrumFamily::hat:
            return 42;
        case DrumFamily::tom:
            return 47;
        case DrumFamily::cymbal:
            return 49;
        case DrumFamily::percussion:
            break;
    }
    return 56;
}

double secondsOf(const Pattern& pattern, const Note& note, const TimeMap& time) {
    return secondsAt(time, static_cast<double>(note.tick) / pattern.pulses);
}

Pattern inOrder(Pattern pattern) {
    std::stable_sort(pattern.notes.begin(), pattern.notes.end(),
                     [](const Note& a, const Note& b) { return a.tick < b.tick; });
    return pattern;
}

Pattern withPulses(Pattern pattern, int pulses) {
    if (pulses < 1 || pulses > kMostPulses)
        throw Error("A quarter note can have 1 to " + std::to_string(kMostPulses) + " ticks.");
    const double ratio = static_cast<double>(pulses) / pattern.pulses;
    for (Note& note : pattern.notes) {
        note.tick = std::llround(static_cast<double>(note.tick) * ratio);
        note.length = std::llround(static_cast<double>(note.length) * ratio);
    }
    pattern.pulses = pulses;
    return pattern;
}

Pattern together(const Pattern& a, const Pattern& b) {
    if (a.notes.empty()) return inOrder(b);
    const std::int64_t both = std::lcm<std::int64_t>(a.pulses, b.pulses);
    const int pulses = both <= kMostPulses ? static_cast<int>(both) : std::max(a.pulses, b.pulses);
    Pattern out = withPulses(a, pulses);
    const Pattern more = withPulses(b, pulses);
    out.notes.insert(out.notes.end(), more.notes.begin(), more.notes.end());
    return inOrder(std::move(out));
}

Pattern takeOf(const std::vector<Played>& played, const TimeMap& time) {
    constexpr int kTakePulses = 100 * kUsualPulses;
    Pattern out{kTakePulses, {}};
    for (const Played& p : played) {
        const std::int64_t tick = std::llround(quarterAt(time, p.time) * kTakePulses);
        if (tick >= 0) out.notes.push_back({tick, 0, p.drum, p.velocity, p.articulation});
    }
    return inOrder(std::move(out));
}

Pattern humanised(Pattern pattern, const TimeMap& time, const Humanise& how) {
    if (!(how.timingMs >= 0.0 && how.timingMs <= 100.0) ||
        !(how.velocity >= 0.0 && how.velocity <= 1.0))
        throw Error("Notes can stray by 0 to 100 ms, and their velocity by 0 to 1.");
    Random random(how.seed);
    // Half the limit is the spread, so that few draws have to be cut.
    const auto stray = [&](double most) {
        return std::clamp(0.5 * most * random.normal(), -most, most);
    };
    for (Note& note : pattern.notes) {
        const double by = 1e-3 * stray(how.timingMs), harder = stray(how.velocity);
        if (by != 0.0) {
            const double tick =
                quarterAt(time, secondsOf(pattern, note, time) + by) * pattern.pulses;
            // Whole ticks, towards where it was: the limit holds for the tick too.
            const double whole = by > 0.0 ? std::floor(tick) : std::ceil(tick);
            note.tick = std::max<std::int64_t>(0, static_cast<std::int64_t>(whole));
        }
        if (harder != 0.0) note.velocity = std::clamp(note.velocity + harder, 1.0 / 127.0, 1.0);
    }
    return inOrder(std::move(pattern));
}

int correctOutliers(Pattern& pattern, const TimeMap& time, int perQuarter, double limitMs,
                    double share) {
    if (perQuarter < 1 || perQuarter > 48 || !(limitMs >= 0.0) || !(share >= 0.0 && share <= 1.0))
        throw Error(
            "The grid has 1 to 48 steps a quarter note, the limit is 0 ms or more, the share 0 to "
            "100 %.");
    int moved = 0;
    for (Note& note : pattern.notes) {
        double nearest = 0.0;
        if (std::abs(gridMs(pattern, time, note, perQuarter, &nearest)) <= limitMs) continue;
        const double quarter = static_cast<double>(note.tick) / pattern.pulses;
        note.tick = std::llround((quarter + share * (nearest - quarter)) * pattern.pulses);
        ++moved;
    }
    pattern = inOrder(std::move(pattern));
    return moved;
}

std::vector<std::string> noticed(const Pattern& pattern, const TimeMap& time) {
    // Of fewer nothing can be said.
    constexpr std::size_t kFew = 8;
    constexpr double kOnGridMs = 1.0;
    struct Counted {
        std::map<long, std::size_t> velocities;
        std::size_t notes = 0, onGrid = 0;
    };
    std::map<std::string, Counted> drums;
    std::size_t onGrid = 0;
    for (const Note& note : pattern.notes) {
        Counted& drum = drums[note.drum];
        ++drum.notes;
        ++drum.velocities[std::lround(127.0 * note.velocity)];
        // Sixteenths, or their triplets.
        const bool on = std::abs(gridMs(pattern, time, note, 4)) < kOnGridMs ||
                        std::abs(gridMs(pattern, time, note, 6)) < kOnGridMs;
        drum.onGrid += on ? 1 : 0;
        onGrid += on ? 1 : 0;
    }
    std::vector<std::string> out;
    std::string equal;
    for (const auto& [id, drum] : drums) {
        if (drum.notes < kFew) continue;
        std::size_t most = 0;
        for (const auto& [velocity, count] : drum.velocities) most = std::max(most, count);
        if (most * 10 >= drum.notes * 9) equal += (equal.empty() ? "" : ", ") + usualDrumName(id);
    }
    if (!equal.empty()) out.push_back("Equal velocities: " + equal + ".");
    if (pattern.notes.size() >= kFew && onGrid * 20 >= pattern.notes.size() * 19)
        out.push_back("Everything lies on the grid, to a millisecond.");
    if (out.size() == 2)
        out.emplace_back("It plays like a machine: humanise it, or correct it by hand.");
    return out;
}

}  // namespace ember
