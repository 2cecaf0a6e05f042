#include "core/session/time_map.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/text.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace ember {
namespace {

constexpr double kOnTheLine = 1e-6;  // seconds

double quartersABar(const MetreChange& metre) {
    return 4.0 * metre.beats / metre.unit;
}

bool goodUnit(int unit) {
    return unit >= 1 && unit <= 32 && (unit & (unit - 1)) == 0;
}

void require(double bpm) {
    if (!(bpm >= kSlowestTempo && bpm <= kFastestTempo))
        throw Error("A tempo takes 20 to 400 quarter notes a minute, not " + numberText(bpm, 2) +
                    ".");
}

void require(int beats, int unit) {
    if (beats < 1 || beats > 32 || !goodUnit(unit))
        throw Error(
            "A metre takes 1 to 32 beats of a 1st, 2nd, 4th, 8th, 16th or 32nd note, for example "
            "7/8.");
}

// Each metre's first bar in quarters: [metre].
std::vector<double> metreStarts(const TimeMap& map) {
    std::vector<double> starts{0.0};
    for (std::size_t m = 1; m < map.metres.size(); ++m)
        starts.push_back(starts.back() + (map.metres[m].bar - map.metres[m - 1].bar) *
                                             quartersABar(map.metres[m - 1]));
    return starts;
}

// A quarter's bar, and how far into it, in quarters.
std::pair<int, double> barOfQuarter(const TimeMap& map, double quarter) {
    const std::vector<double> starts = metreStarts(map);
    const auto after = std::upper_bound(starts.begin(), starts.end(), quarter);
    const std::size_t m =
        after == starts.begin() ? 0 : static_cast<std::size_t>(after - starts.begin()) - 1;
    const double length = quartersABar(map.metres[m]), into = quarter - starts[m],
                 bars = std::floor(into / length);
    return {map.metres[m].bar + static_cast<int>(bars), into - bars * length};
}

}  // namespace

TimeMap steadyTime(double bpm, double start, int beats, int unit) {
    return {start, {{0.0, bpm}}, {{0, beats, unit}}};
}

std::string problemIn(const TimeMap& map) {
    if (!(std::abs(map.start) <= 86400.0))
        return "Bar 1 begins within a day of the song's zero; correct “start”.";
    if (map.tempos.empty() || map.tempos.front().quarter != 0.0 || map.metres.empty() ||
        map.metres.front().bar != 0)
        return "The song's time needs a tempo and a metre from bar 1 on; add them.";
    for (std::size_t t = 0; t < map.tempos.size(); ++t) {
        const TempoChange& tempo = map.tempos[t];
        if (!(tempo.bpm >= kSlowestTempo && tempo.bpm <= kFastestTempo))
            return "A tempo takes 20 to 400 quarter notes a minute; correct it.";
        if (t > 0 && !(tempo.quarter > map.tempos[t - 1].quarter && tempo.quarter < 1e7))
            return "Tempi stand in order of time, each later than the one before; correct them.";
    }
    for (std::size_t m = 0; m < map.metres.size(); ++m) {
        const MetreChange& metre = map.metres[m];
        if (metre.beats < 1 || metre.beats > 32 || !goodUnit(metre.unit))
            return "A metre takes 1 to 32 beats of a 1st to 32nd note; correct it.";
        if (m > 0 && (metre.bar <= map.metres[m - 1].bar || metre.bar > 1'000'000))
            return "Metres stand in order of bars, each later than the one before; correct them.";
    }
    return {};
}

double secondsAt(const TimeMap& map, double quarter) {
    double at = map.start;
    for (std::size_t t = 0; t + 1 < map.tempos.size() && map.tempos[t + 1].quarter <= quarter; ++t)
        at += (map.tempos[t + 1].quarter - map.tempos[t].quarter) * 60.0 / map.tempos[t].bpm;
    auto tempo = std::upper_bound(map.tempos.begin(), map.tempos.end(), quarter,
                                  [](double q, const TempoChange& c) { return q < c.quarter; });
    if (tempo != map.tempos.begin()) --tempo;
    return at + (quarter - tempo->quarter) * 60.0 / tempo->bpm;
}

double quarterAt(const TimeMap& map, double seconds) {
    double at = map.start;
    for (std::size_t t = 0; t < map.tempos.size(); ++t) {
        const double beat = 60.0 / map.tempos[t].bpm;
        if (t + 1 < map.tempos.size()) {
            const double next = at + (map.tempos[t + 1].quarter - map.tempos[t].quarter) * beat;
            if (seconds >= next) {
                at = next;
                continue;
            }
        }
        return map.tempos[t].quarter + (seconds - at) / beat;
    }
    return 0.0;
}

double tempoAt(const TimeMap& map, double seconds) {
    const double quarter = quarterAt(map, seconds + kOnTheLine);
    auto tempo = std::upper_bound(map.tempos.begin(), map.tempos.end(), quarter,
                                  [](double q, const TempoChange& c) { return q < c.quarter; });
    if (tempo != map.tempos.begin()) --tempo;
    return tempo->bpm;
}

const MetreChange& metreAt(const TimeMap& map, int bar) {
    auto metre = std::upper_bound(map.metres.begin(), map.metres.end(), bar,
                                  [](int b, const MetreChange& c) { return b < c.bar; });
    if (metre != map.metres.begin()) --metre;
    return *metre;
}

double quarterOfBar(const TimeMap& map, int bar) {
    double quarter = 0.0;
    std::size_t m = 0;
    for (; m + 1 < map.metres.size() && map.metres[m + 1].bar <= bar; ++m)
        quarter += (map.metres[m + 1].bar - map.metres[m].bar) * quartersABar(map.metres[m]);
    return quarter + (bar - map.metres[m].bar) * quartersABar(map.metres[m]);
}

double secondsOfBar(const TimeMap& map, int bar) {
    return secondsAt(map, quarterOfBar(map, bar));
}

int barAt(const TimeMap& map, double seconds) {
    return barOfQuarter(map, quarterAt(map, seconds + kOnTheLine)).first;
}

BarPlace placeAt(const TimeMap& map, double seconds) {
    // What counts as on the line begins the bar; its beat is none before the line.
    const int bar = barAt(map, seconds);
    const double into = std::max(0.0, quarterAt(map, seconds) - quarterOfBar(map, bar));
    return {bar, into * metreAt(map, bar).unit / 4.0};
}

double secondsAt(const TimeMap& map, const BarPlace& place) {
    return secondsAt(
        map, quarterOfBar(map, place.bar) + place.beat * 4.0 / metreAt(map, place.bar).unit);
}

double barsLater(const TimeMap& map, double seconds, int bars) {
    BarPlace place = placeAt(map, seconds);
    place.bar += bars;
    return secondsAt(map, place);
}

double beatsLater(const TimeMap& map, double seconds, int beats) {
    BarPlace place = placeAt(map, seconds);
    for (int n = 0; n < std::abs(beats); ++n) {
        place.beat += beats > 0 ? 1.0 : -1.0;
        if (place.beat < 0.0) {
            --place.bar;
            place.beat += metreAt(map, place.bar).beats;
        } else if (place.beat >= metreAt(map, place.bar).beats) {
            place.beat -= metreAt(map, place.bar).beats;
            ++place.bar;
        }
    }
    return secondsAt(map, place);
}

double nearestBeat(const TimeMap& map, double seconds) {
    BarPlace place = placeAt(map, seconds);
    place.beat = std::round(place.beat);
    // The last beat's second half is nearer to the next bar.
    return secondsAt(map, place);
}

double nextBeat(const TimeMap& map, double seconds) {
    BarPlace place = placeAt(map, seconds);
    place.beat = std::ceil(place.beat - 1e-6);
    return secondsAt(map, place);
}

TimeMap withTempoFrom(TimeMap map, int bar, double bpm) {
    require(bpm);
    const double quarter = quarterOfBar(map, std::max(0, bar));
    auto at = std::lower_bound(map.tempos.begin(), map.tempos.end(), quarter,
                               [](const TempoChange& c, double q) { return c.quarter < q; });
    if (at != map.tempos.end() && at->quarter == quarter) {
        at->bpm = bpm;
    } else {
        map.tempos.insert(at, {quarter, bpm});
    }
    return map;
}

TimeMap withMetreFrom(TimeMap map, int bar, int beats, int unit) {
    require(beats, unit);
    bar = std::max(0, bar);
    auto at = std::lower_bound(map.metres.begin(), map.metres.end(), bar,
                               [](const MetreChange& c, int b) { return c.bar < b; });
    if (at != map.metres.end() && at->bar == bar) {
        *at = {bar, beats, unit};
    } else {
        map.metres.insert(at, {bar, beats, unit});
    }
    return map;
}

TimeMap withoutChangesAt(TimeMap map, int bar) {
    if (bar <= 0) return map;
    const double quarter = quarterOfBar(map, bar);
    std::erase_if(map.tempos,
                  [&](const TempoChange& c) { return std::abs(c.quarter - quarter) < 1e-9; });
    std::erase_if(map.metres, [&](const MetreChange& c) { return c.bar == bar; });
    return map;
}

TimeMap throughBars(const std::vector<double>& bars, const MetreChange& metre) {
    require(metre.beats, metre.unit);
    if (bars.size() < 2) throw Error("A tempo needs at least two bars to be told from.");
    TimeMap map{bars.front(), {}, {{0, metre.beats, metre.unit}}};
    const double quarters = quartersABar(metre);
    for (std::size_t b = 0; b + 1 < bars.size(); ++b) {
        const double bpm = 60.0 * quarters / (bars[b + 1] - bars[b]);
        require(bpm);
        map.tempos.push_back({static_cast<double>(b) * quarters, bpm});
    }
    return map;
}

TimeMap fromZero(const TimeMap& map) {
    // In thirty-seconds, so that the tempo in front need not be far from the song's; where bar 1
    // begins just after 0, it is bar 2 that is kept, and bar 1 begins with 0.
    constexpr double kShortest = 4.0;
    const auto lead = [&](int bar) { return std::max(0.0, secondsOfBar(map, bar)); };
    const auto notes = [&](int bar) { return lead(bar) * tempoAt(map, lead(bar)) / 7.5; };
    int bar = 0;
    while (secondsOfBar(map, bar) < -kOnTheLine) ++bar;
    while (lead(bar) > kOnTheLine && notes(bar) < kShortest) ++bar;
    const MetreChange& metre = metreAt(map, bar);
    const double bpm = tempoAt(map, secondsOfBar(map, bar)), quarter = quarterOfBar(map, bar);
    TimeMap out{0.0, {}, {}};
    int before = 0;
    double shift = 0.0;
    if (lead(bar) > kOnTheLine) {
        const auto tempo = [&](int count) { return count * 7.5 / lead(bar); };
        int all = static_cast<int>(std::lround(notes(bar)));
        if (tempo(all) > kFastestTempo) --all;
        if (tempo(all) < kSlowestTempo) ++all;
        const int whole = static_cast<int>(std::lround(8.0 * quartersABar(metre))),
                  rest = all % whole;
        shift = all / 8.0;
        out.tempos.push_back({0.0, tempo(all)});
        if (all >= whole) out.metres.push_back({0, metre.beats, metre.unit});
        before = all / whole;
        if (rest >= 8) out.metres.push_back({before++, rest / 8, 4});
        if (rest % 8 != 0) out.metres.push_back({before++, rest % 8, 32});
    }
    out.tempos.push_back({shift, bpm});
    for (const TempoChange& t : map.tempos) {
        if (t.quarter > quarter + 1e-9) out.tempos.push_back({t.quarter - quarter + shift, t.bpm});
    }
    out.metres.push_back({before, metre.beats, metre.unit});
    for (const MetreChange& m : map.metres) {
        if (m.bar > bar) out.metres.push_back({m.bar - bar + before, m.beats, m.unit});
    }
    return out;
}

std::string timeKey(const TimeMap& map) {
    std::string key = plainText(map.start, 9);
    for (const TempoChange& t : map.tempos)
        key += ";" + plainText(t.quarter, 9) + "=" + plainText(t.bpm, 9);
    for (const MetreChange& m : map.metres)
        key += ";" + std::to_string(m.bar) + "=" + std::to_string(m.beats) + "/" +
               std::to_string(m.unit);
    return key;
}

std::string tempoText(const TimeMap& map) {
    const auto [low, high] =
        std::minmax_element(map.tempos.begin(), map.tempos.end(),
                            [](const auto& a, const auto& b) { return a.bpm < b.bpm; });
    const std::string first = numberText(low->bpm, 2), last = numberText(high->bpm, 2);
    return first == last ? first + " bpm" : first + " to " + last + " bpm";
}

std::string metreText(const TimeMap& map) {
    std::vector<std::string> said;
    for (const MetreChange& m : map.metres) {
        const std::string one = std::to_string(m.beats) + "/" + std::to_string(m.unit);
        if (std::find(said.begin(), said.end(), one) == said.end()) said.push_back(one);
    }
    return listed(said);
}

MetreChange metreFrom(std::string_view text) {
    MetreChange metre{0, 0, 4};
    const auto slash = text.find('/');
    const std::string_view beats = text.substr(0, slash);
    const auto whole = [](std::string_view part, int& out) {
        const auto [end, fault] = std::from_chars(part.data(), part.data() + part.size(), out);
        return fault == std::errc{} && end == part.data() + part.size();
    };
    if (!whole(beats, metre.beats) ||
        (slash != std::string_view::npos && !whole(text.substr(slash + 1), metre.unit)))
        throw Error("A metre reads like 4/4 or 7/8, not “" + std::string(text) + "”.");
    require(metre.beats, metre.unit);
    return metre;
}

}  // namespace ember
