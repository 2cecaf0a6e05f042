#include "core/report/ledger.h"

#include "core/base/error.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/levels.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace ember {
namespace {

constexpr double kTaken = 0.5;  // dB of attack against body that count as taken
constexpr double kEarly = 0.03, kWhole = 0.3;

std::string fixed(double value, const char* unit) {
    char text[48];
    std::snprintf(text, sizeof text, "%s%.1f %s", value < 0.0 ? "−" : "", std::abs(value), unit);
    return text;
}

// The row and what it feeds; everything else is gone. Keys that went with it fall back to the
// signal itself.
Session onlyWayOf(const Session& session, const std::string& id) {
    Session out = session;
    std::vector<std::string> way;
    for (const Row* row = findRow(session, id); row != nullptr;
         row = findRow(session, row->parent)) {
        way.push_back(row->id);
        if (row->parent.empty()) break;
    }
    const auto onWay = [&](const std::string& row) {
        return std::find(way.begin(), way.end(), row) != way.end();
    };
    std::erase_if(out.rows, [&](const Row& row) { return !onWay(row.id); });
    for (Row& row : out.rows) {
        row.mute = row.solo = false;
        for (Stage& stage : row.chain) {
            if (!stage.key.empty() && !onWay(stage.key)) stage.key.clear();
        }
    }
    return out;
}

LedgerLine read(const AudioBuffer& audio, const std::vector<double>& times, double rate) {
    LedgerLine line;
    const std::vector<std::span<const float>> sides(audio.channels.begin(), audio.channels.end());
    const SignalLevels levels = measureLevels(sides, rate);
    line.loudness = levels.integrated;
    float top = 0.0F;
    for (const auto& side : audio.channels) {
        for (const float v : side) top = std::max(top, std::abs(v));
    }
    line.peakDb = dbFromGain(static_cast<double>(top));
    std::vector<double> crests, ratios;
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, t * rate)),
                   early = static_cast<std::size_t>(kEarly * rate),
                   whole = static_cast<std::size_t>(kWhole * rate);
        double attack = 1e-15, body = 1e-15, peak = 1e-15;
        for (const auto& side : audio.channels) {
            for (std::size_t i = 0; i < whole && from + i < side.size(); ++i) {
                const double v = side[from + i];
                (i < early ? attack : body) += v * v;
                peak = std::max(peak, std::abs(v));
            }
        }
        if (attack + body < 1e-9) continue;
        const double mean = (attack + body) / static_cast<double>(whole * audio.channels.size());
        crests.push_back(dbFromGain(peak) - 10.0 * std::log10(mean));
        ratios.push_back(10.0 * std::log10(attack / body));
    }
    line.crestDb = median(std::move(crests));
    line.transientToBodyDb = median(std::move(ratios));
    return line;
}

// Strokes that punch, where the row's align step puts them.
std::vector<double> strokeTimes(const Session& session, const KitStrokes& strokes,
                                const std::string& id) {
    const std::string drum = drumOfRow(session, id);
    double moved = 0.0;
    if (const Row* row = findRow(session, id)) {
        if (const Stage* align = findStage(*row, "align"); align != nullptr && align->on) {
            const int delay = parameterIndex(processorType("align").table, "delay");
            moved = align->values[static_cast<std::size_t>(delay)] * 1e-3;
        }
    }
    std::vector<double> times;
    for (const Stroke& s : strokes.strokes) {
        const bool full = s.kind == StrokeKind::accent || s.kind == StrokeKind::normal;
        if (full && (drum.empty() || s.drum == drum)) times.push_back(s.time + moved);
    }
    return times;
}

std::string labelOf(const Row& row, const Stage& stage) {
    return row.name + " · " + processorType(stage.type).label;
}

}  // namespace

Ledger transientLedger(const Session& session, const KitStrokes& strokes, AudioStore& store,
                       const std::string& id, const Progress& progress) {
    Session way = onlyWayOf(session, id);
    requireRow(way, id);
    const std::vector<double> times = strokeTimes(session, strokes, id);
    // Everything off at first; then one stage after the other comes on.
    struct Place {
        std::string row;
        Stage stage;
    };
    std::vector<Place> places;
    std::string at = id;
    while (!at.empty()) {
        Row& row = requireRow(way, at);
        for (Stage& stage : row.chain) {
            const bool fixed = stage.type == "align" || stage.type == "seat";
            // Align and seat only move and scale; they belong to what is recorded.
            if (fixed || !stage.on) continue;
            places.push_back({row.id, stage});
            stage.on = false;
        }
        at = row.parent;
    }
    Ledger ledger;
    const auto listen = [&](double done) {
        report(progress, done, "Listening after every stage");
        return read(renderMix(way, store, {}, nullptr, {}), times, session.sampleRate);
    };
    ledger.lines.push_back(listen(0.0));
    ledger.lines.back().row = id;
    ledger.lines.back().label = requireRow(way, id).name + " · as recorded";
    for (std::size_t i = 0; i < places.size(); ++i) {
        Row& row = requireRow(way, places[i].row);
        requireStage(row, places[i].stage.id).on = true;
        LedgerLine line =
            listen(static_cast<double>(i + 1) / static_cast<double>(places.size() + 1));
        line.row = row.id;
        line.stage = places[i].stage.id;
        line.label = labelOf(row, places[i].stage);
        ledger.lines.push_back(std::move(line));
    }
    const double loud = ledger.lines.front().loudness;
    double most = kTaken;
    for (std::size_t i = 0; i < ledger.lines.size(); ++i) {
        LedgerLine& line = ledger.lines[i];
        line.matchedPeakDb = line.peakDb + loud - line.loudness;
        if (i == 0) continue;
        const double taken = ledger.lines[i - 1].transientToBodyDb - line.transientToBodyDb;
        if (taken >= most) {
            most = taken;
            ledger.worst = static_cast<int>(i);
        }
    }
    return ledger;
}

OrderTest testOrder(const Session& session, const KitStrokes& strokes, AudioStore& store,
                    const std::string& id, const std::string& stageId, const Progress& progress) {
    Session way = onlyWayOf(session, id);
    Row& row = requireRow(way, id);
    const auto at = static_cast<std::size_t>(&requireStage(row, stageId) - row.chain.data());
    const auto movable = [&](std::size_t i) {
        return i < row.chain.size() && row.chain[i].type != "align" && row.chain[i].type != "seat";
    };
    if (!movable(at) || !movable(at + 1))
        throw Error("There is no step after “" + stageId +
                    "” to change places with; choose an earlier one.");
    OrderTest test;
    test.first = labelOf(row, row.chain[at]);
    test.second = labelOf(row, row.chain[at + 1]);
    const std::vector<double> times = strokeTimes(session, strokes, id);
    report(progress, 0.1, test.first + " first");
    const AudioBuffer now = renderMix(way, store, {}, nullptr, progress);
    const Session turned = withStageMoved(way, id, stageId, 1);
    report(progress, 0.5, test.second + " first");
    AudioBuffer swapped = renderMix(turned, store, {}, nullptr, progress);
    test.now = read(now, times, session.sampleRate);
    test.matchGainDb = test.now.loudness - read(swapped, times, session.sampleRate).loudness;
    const auto gain = static_cast<float>(gainFromDb(test.matchGainDb));
    for (auto& side : swapped.channels) {
        for (float& v : side) v *= gain;
    }
    test.swapped = read(swapped, times, session.sampleRate);
    double difference = 1e-20, whole = 1e-20;
    for (std::size_t c = 0; c < now.channels.size(); ++c) {
        for (std::size_t i = 0; i < std::min(now.channels[c].size(), swapped.channels[c].size());
             ++i) {
            const double a = now.channels[c][i], b = swapped.channels[c][i];
            difference += (a - b) * (a - b);
            whole += a * a;
        }
    }
    test.differenceDb = 10.0 * std::log10(difference / whole);
    const double crest = test.swapped.crestDb - test.now.crestDb,
                 punch = test.swapped.transientToBodyDb - test.now.transientToBodyDb,
                 peak = test.swapped.peakDb - test.now.peakDb;
    if (test.differenceDb < -60.0) {
        test.sentences.push_back("The order makes no difference that could be heard.");
        return test;
    }
    test.sentences.push_back(
        test.second + " first, at the same loudness: crest " + (crest >= 0.0 ? "+" : "") +
        fixed(crest, "dB") + ", attack against body " + (punch >= 0.0 ? "+" : "") +
        fixed(punch, "dB") + ", peak " + (peak >= 0.0 ? "+" : "") + fixed(peak, "dB") + ".");
    if (std::abs(punch) >= kTaken)
        test.sentences.push_back(punch > 0.0 ? "It keeps more of the attack that way."
                                             : "The attack is better kept as it is.");
    return test;
}

}  // namespace ember
