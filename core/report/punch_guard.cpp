#include "core/report/punch_guard.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/engine/render.h"
#include "core/report/bus_members.h"
#include "core/report/punch.h"

#include <algorithm>
#include <map>
#include <set>

namespace ember {
namespace {

bool works(const Stage& stage) {
    return stage.on && stage.type != "seat";
}

// What the bus gives.
AudioBuffer given(const Session& session, AudioStore& store, const std::string& bus, double from,
                  double to, const Progress& progress) {
    RenderOptions options;
    options.from = from;
    options.to = to;
    options.withGuests = true;
    for (RowAudio& one : renderRows(session, store, options, progress)) {
        if (one.row == bus) return std::move(one.audio);
    }
    throw Error("“" + findRow(session, bus)->name + "” is no part of the mix.");
}

using ByDrum = std::map<std::string, std::vector<double>>;

std::map<std::string, Punch> punches(const AudioBuffer& audio, const ByDrum& times) {
    const std::vector<std::span<const float>> sides(audio.channels.begin(), audio.channels.end());
    std::map<std::string, Punch> out;
    for (const auto& [drum, at] : times) out[drum] = punchOf(sides, at, audio.sampleRate);
    return out;
}

}  // namespace

PunchGuard punchGuard(const Session& session, AudioStore& store, const std::string& bus,
                      double from, double to, const Progress& progress) {
    const Row& row = requireBus(session, bus);
    if (to < 0.0) to = from + 30.0;
    const ByDrum times = struckIn(session, bus, from, to);
    if (times.empty())
        throw Error("No drum in “" + row.name +
                    "” is struck often enough here; choose a busier place of the song.");
    std::vector<std::string> steps;
    for (const Stage& stage : row.chain) {
        if (works(stage)) steps.push_back(stage.id);
    }
    const double renders = static_cast<double>(steps.size()) + 2.0;
    double done = 0.0;
    const auto without = [&](const std::set<std::string>& off) {
        Session other = session;
        for (Stage& stage : requireRow(other, bus).chain) {
            if (off.contains(stage.id)) stage.on = false;
        }
        const Progress part = [&](double share, const std::string&) {
            return !progress || progress((done + share) / renders, "Listening to " + row.name);
        };
        auto found = punches(given(other, store, bus, from, to, part), times);
        done += 1.0;
        return found;
    };
    PunchGuard out{bus, static_cast<int>(steps.size()), {}};
    const auto after = without({});
    const auto before =
        steps.empty() ? after : without(std::set<std::string>(steps.begin(), steps.end()));
    for (const auto& [drum, was] : before) {
        const Punch& is = after.at(drum);
        out.drums.push_back({drum, static_cast<int>(times.at(drum).size()), was.transientToBodyDb,
                             is.transientToBodyDb, was.crestDb, is.crestDb});
    }
    std::stable_sort(out.drums.begin(), out.drums.end(),
                     [](const GuardedDrum& a, const GuardedDrum& b) {
                         return a.before - a.after > b.before - b.after;
                     });
    if (out.drums.front().before - out.drums.front().after < kPunchLostDb) return out;
    for (const std::string& step : steps) {
        const auto gone = without({step});
        for (GuardedDrum& d : out.drums) {
            const double back = gone.at(d.drum).transientToBodyDb - d.after;
            if (d.before - d.after < kPunchLostDb || back <= d.givesBack) continue;
            d.givesBack = back;
            d.stage = step;
        }
    }
    return out;
}

std::vector<std::string> punchGuardText(const Session& session, const PunchGuard& found) {
    const Row& row = *findRow(session, found.bus);
    std::vector<std::string> out;
    if (found.steps == 0) {
        out.push_back("No step of " + row.name + " is on: nothing there touches the strokes.");
        return out;
    }
    for (const GuardedDrum& d : found.drums) {
        if (d.before - d.after < kPunchLostDb) continue;
        std::string text = drumName(session, d.drum) + " loses " +
                           numberText(d.before - d.after, 1) + " dB of attack against body in " +
                           row.name;
        if (const Stage* stage = d.stage.empty() ? nullptr : findStage(row, d.stage))
            text += "; without " + processorType(stage->type).label + " " +
                    numberText(d.givesBack, 1) + " dB of it would come back";
        out.push_back(text + ".");
    }
    if (out.empty())
        out.push_back("No drum loses " + numberText(kPunchLostDb, 0) +
                      " dB of attack against body in " + row.name + ".");
    return out;
}

}  // namespace ember
