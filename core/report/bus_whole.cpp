#include "core/report/bus_whole.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/engine/render.h"
#include "core/measure/level/masking.h"
#include "core/measure/sound/band_frames.h"
#include "core/report/bus_members.h"
#include "core/report/mix_figures.h"
#include "core/session/graph.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numbers>
#include <span>
#include <tuple>

namespace ember {
namespace {

// Stretches of the spectrum that are told, Hz.
enum Told { kToldLows, kToldHighs, kToldBottom, kToldBass, kToldMiddle, kToldAll, kToldCount };
constexpr std::array<HertzBand, kToldCount> kToldBands{{{kWholeLows[0], kWholeLows[1]},
                                                        {kWholeHighs[0], kWholeHighs[1]},
                                                        {20.0, 60.0},
                                                        {60.0, 200.0},
                                                        {300.0, 3000.0},
                                                        {20.0, 20000.0}}};
constexpr double kToldWindow = 0.17;  // seconds, which tell 20 Hz from 60

using ToldFrames = std::vector<std::vector<double>>;  // by window, then by kToldBands

ToldFrames toldFrames(const std::vector<float>& middle, double rate) {
    int length = 256;
    while (length < kToldWindow * rate / std::numbers::sqrt2) length *= 2;
    return bandFrames(middle, rate, length, length / 2, kToldBands);
}

struct BusPart {
    std::string row;
    std::vector<float> middle;
    EarFrames frames;
    ToldFrames told;
};

// The elements that lead to the sum without passing by another of its members, and the guests.
struct BusParts {
    std::vector<BusPart> drums, guests;
};

BusPart partOf(const RowAudio& one) {
    BusPart part{one.row, sidesMixed(one.audio), {}, {}};
    part.frames = earFrames(part.middle, one.audio.sampleRate);
    part.told = toldFrames(part.middle, one.audio.sampleRate);
    return part;
}

std::vector<float> summed(const std::vector<BusPart>& parts) {
    std::vector<float> all(parts.front().middle.size(), 0.0F);
    for (const BusPart& p : parts) {
        for (std::size_t i = 0; i < all.size(); ++i) all[i] += p.middle[i];
    }
    return all;
}

BusParts partsOf(const Session& session, AudioStore& store, const std::string& bus, double from,
                 double to, const Progress& progress) {
    BusParts out;
    for (const RowAudio& one : renderRows(session, store, heardOver(from, to), progress)) {
        const Row& row = *findRow(session, one.row);
        if (!audible(session, row)) continue;
        if (row.kind == RowKind::element && leadsTo(session, row.id, bus))
            out.drums.push_back(partOf(one));
        else if (row.kind == RowKind::guest)
            out.guests.push_back(partOf(one));
    }
    return out;
}

double powerOfAll(const ToldFrames& frames, Told band) {
    double sum = 0.0;
    for (const auto& told : frames) sum += told[band];
    return sum;
}

// Who gives most of a stretch of the spectrum, and which share of what all give.
std::pair<std::string, double> most(const std::vector<BusPart>& parts, Told band) {
    double all = 1e-30, best = 0.0;
    std::string row;
    for (const BusPart& p : parts) {
        const double power = powerOfAll(p.told, band);
        all += power;
        if (power > best) {
            best = power;
            row = p.row;
        }
    }
    return {row, best / all};
}

RoomLeft roomOf(const std::vector<BusPart>& parts, const ToldFrames& sum, Told band,
                const char* name, double usual) {
    RoomLeft room{name, kToldBands[band].low, kToldBands[band].high, 1.0, usual, {}, 0.0};
    std::vector<double> loud;
    for (const auto& told : sum) loud.push_back(told[kToldAll]);
    if (loud.empty()) return room;
    const double threshold = quantile(loud, 0.95) * std::pow(10.0, kTakenDb / 10.0);
    std::map<std::string, int> by;
    int taken = 0;
    for (std::size_t f = 0; f < sum.size(); ++f) {
        if (sum[f][band] <= threshold) continue;
        ++taken;
        const auto loudest = std::max_element(
            parts.begin(), parts.end(),
            [&](const BusPart& a, const BusPart& b) { return a.told[f][band] < b.told[f][band]; });
        ++by[loudest->row];
    }
    room.left = 1.0 - static_cast<double>(taken) / static_cast<double>(sum.size());
    for (const auto& [row, often] : by) {
        const double share = static_cast<double>(often) / static_cast<double>(taken);
        if (share <= room.rowShare) continue;
        room.rowShare = share;
        room.row = row;
    }
    return room;
}

GuestHeard guestAmong(const BusPart& guest, const std::vector<BusPart>& drums,
                      const EarFrames& threshold) {
    GuestHeard out{guest.row, 1.0, {}, 0.0};
    const Audibility heard = audibilityOf(guest.frames, threshold);
    if (!heard.sounds) return out;
    out.heard = heard.share;
    const std::vector<int> hidden = hiddenBands(guest.frames, threshold);
    std::map<std::string, int> by;
    for (std::size_t f = 0; f < hidden.size(); ++f) {
        if (hidden[f] < 0) continue;
        float best = 0.0F;
        std::string row;
        for (const BusPart& p : drums) {
            const float power =
                p.frames.at(static_cast<int>(f))[static_cast<std::size_t>(hidden[f])];
            if (power > best) {
                best = power;
                row = p.row;
            }
        }
        ++by[row];
    }
    int often = 0;
    for (const auto& [row, times] : by) {
        if (times <= often) continue;
        often = times;
        out.behind = row;
        out.hertz = earBandHertz(heard.band);
    }
    return out;
}

std::string shareText(double share) {
    return numberText(100.0 * share, 0) + " %";
}

}  // namespace

BusWhole busWhole(const Session& session, AudioStore& store, const std::string& bus, double from,
                  double to, const Progress& progress) {
    const Row& row = requireBus(session, bus);
    const BusParts parts = partsOf(session, store, bus, from, to, within(progress, 0.0, 0.9));
    if (parts.drums.empty())
        throw Error("No drum that sounds feeds “" + row.name +
                    "”; choose the bus of the drums, or the main.");
    report(progress, 0.9, "Holding it against what is usual");
    const std::vector<float> all = summed(parts.drums);
    const ToldFrames sum = toldFrames(all, session.sampleRate);
    BusWhole out;
    out.bus = bus;
    out.usual = usualHighs(session.style);
    out.highsDb = 10.0 * std::log10((powerOfAll(sum, kToldHighs) + 1e-30) /
                                    (powerOfAll(sum, kToldLows) + 1e-30));
    std::tie(out.highsRow, out.highsShare) = most(parts.drums, kToldHighs);
    std::tie(out.lowsRow, out.lowsShare) = most(parts.drums, kToldLows);
    const UsualRoom usual = usualRoom(session.style);
    out.room = {roomOf(parts.drums, sum, kToldBottom, "the bottom", usual.bottom),
                roomOf(parts.drums, sum, kToldBass, "the bass", usual.bass),
                roomOf(parts.drums, sum, kToldMiddle, "the middle", usual.middle)};
    const EarFrames threshold = maskedThreshold(earFrames(all, session.sampleRate));
    for (const BusPart& guest : parts.guests)
        out.guests.push_back(guestAmong(guest, parts.drums, threshold));
    return out;
}

std::vector<std::string> busWholeText(const Session& session, const BusWhole& whole) {
    const auto name = [&](const std::string& id) {
        const Row* row = findRow(session, id);
        return row != nullptr ? row->name : id;
    };
    std::vector<std::string> out;
    std::string highs = "Highs stand " + changeText(whole.highsDb, 1) + " dB against lows, " +
                        usualText(whole.usual, session.style);
    if (whole.highsDb > whole.usual.high)
        highs += ": too bright, or too thin; " + shareText(whole.highsShare) +
                 " of the highs are " + name(whole.highsRow) + "’s, " + shareText(whole.lowsShare) +
                 " of the lows " + name(whole.lowsRow) + "’s";
    else if (whole.highsDb < whole.usual.low)
        highs += ": too dark, or too heavy; " + shareText(whole.lowsShare) + " of the lows are " +
                 name(whole.lowsRow) + "’s, " + shareText(whole.highsShare) + " of the highs " +
                 name(whole.highsRow) + "’s";
    out.push_back(highs + ".");
    for (const RoomLeft& room : whole.room) {
        std::string text = "It leaves " + room.name + " (" + hertzText(room.low) + " to " +
                           hertzText(room.high) + ") to others " + shareText(room.left) +
                           " of the time";
        if (room.left < room.usual)
            text += ", usually " + shareText(room.usual) + " at least: " + name(room.row) +
                    " takes most of it, " + shareText(room.rowShare) + " of the time it is taken";
        out.push_back(text + ".");
    }
    for (const GuestHeard& guest : whole.guests) {
        if (guest.heard >= kHeardEnough || guest.behind.empty()) continue;
        out.push_back(name(guest.row) + " is heard over the drums " + shareText(guest.heard) +
                      " of the time it plays; where it is not, " + name(guest.behind) +
                      " is loudest, around " + hertzText(guest.hertz) + ".");
    }
    return out;
}

}  // namespace ember
