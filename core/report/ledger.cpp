#include "core/report/ledger.h"

#include "core/base/error.h"
#include "core/base/fft.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/level/levels.h"
#include "core/measure/sound/partials.h"
#include "core/measure/strokes/stroke_figures.h"
#include "core/report/punch.h"
#include "core/session/graph.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

// Guests have a ledger too, and may be listened to.
RenderOptions heardWithGuests() {
    RenderOptions options;
    options.withGuests = true;
    return options;
}

constexpr double kTaken = 0.5;  // dB of attack against body, or in mono, that count as taken

// The row, and then all that its sound comes into, in the Board's order; what their stages listen
// to plays along unheard.
std::vector<std::string> wayOf(const Session& session, const std::string& id) {
    std::vector<std::string> way{id};
    for (const Row& row : session.rows) {
        if (row.id != id && leadsTo(session, id, row.id)) way.push_back(row.id);
    }
    return way;
}

// What the strokes sound like once the stick has passed: power over frequency, of the first side.
struct Ringing {
    std::vector<double> power;
    double width = 1.0;  // Hz of a bin
};
Ringing ringing(const AudioBuffer& audio, const std::vector<double>& times, double rate) {
    Ringing out;
    const int length = rate > 60000.0 ? 65536 : 32768;
    RealFft fft(length);
    out.width = rate / length;
    const auto count = static_cast<std::size_t>(0.15 * rate);
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, (t + 0.02) * rate));
        const auto& side = audio.channels.front();
        if (from + count <= side.size()) addPower(fft, {side.data() + from, count}, out.power);
    }
    return out;
}

double bandPower(const Ringing& r, double low, double high) {
    double sum = 1e-20;
    for (auto k = static_cast<std::size_t>(low / r.width);
         k < r.power.size() && static_cast<double>(k) * r.width <= high; ++k)
        sum += r.power[k];
    return sum;
}

// The strongest partial where drums have their notes, Hz; 0 when nothing sounds.
double noteOf(const Ringing& r) {
    std::size_t best = 0;
    for (auto k = static_cast<std::size_t>(35.0 / r.width);
         k < r.power.size() && static_cast<double>(k) * r.width <= 350.0; ++k) {
        if (best == 0 || r.power[k] > r.power[best]) best = k;
    }
    return best > 0 ? peakBin(r.power, best) * r.width : 0.0;
}

// Power at two to five times the note against the note's own. A head's own partials lie elsewhere
// (1.59, 2.14, 2.30 times ...), so what is there is mostly what bending makes.
double harmonicsDb(const Ringing& r, double note) {
    constexpr double kNear = 0.015, kAround = 0.05;
    double above = 1e-20;
    for (int k = 2; k <= 5; ++k) {
        // What lies around is rattle and bleed: only what stands over it is a harmonic.
        const double at = k * note, own = bandPower(r, at * (1.0 - kNear), at * (1.0 + kNear)),
                     around = bandPower(r, at * (1.0 - kAround), at * (1.0 + kAround)) - own;
        above += std::max(0.0, own - around * kNear / (kAround - kNear));
    }
    const double own = bandPower(r, note * (1.0 - kAround), note * (1.0 + kAround));
    return std::max(kNoHarmonicsDb, 10.0 * std::log10(above / own));
}

// Share of strokes whose tops were cut off before they came here: samples alike at the peak.
double flatTops(const AudioBuffer& audio, const std::vector<double>& times, double rate) {
    constexpr int kRun = 3;
    constexpr float kAlike = 1e-6F;
    double flat = 0.0;
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, t * rate));
        bool found = false;
        for (const auto& side : audio.channels) {
            const std::size_t to =
                std::min(side.size(), from + static_cast<std::size_t>(kStrokeSeconds * rate));
            float peak = 1e-4F;
            for (std::size_t i = from; i < to; ++i) peak = std::max(peak, std::abs(side[i]));
            int run = 0;
            for (std::size_t i = from; i < to; ++i) {
                run = std::abs(side[i]) >= peak - kAlike ? run + 1 : 0;
                found = found || run >= kRun;
            }
        }
        flat += found ? 1.0 : 0.0;
    }
    return times.empty() ? 0.0 : flat / static_cast<double>(times.size());
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
    line.monoLossDb = levels.monoLossDb;
    const Punch punch = punchOf(sides, times, rate);
    line.crestDb = punch.crestDb;
    line.transientToBodyDb = punch.transientToBodyDb;
    return line;
}

std::string labelOf(const Row& row, const Stage& stage) {
    return row.name + " · " + processorType(stage.type).label;
}

}  // namespace

Ledger transientLedger(const Session& session, const KitStrokes& strokes, AudioStore& store,
                       const std::string& id, const Progress& progress) {
    Session way = withRowsAndKeys(session, wayOf(session, id));
    requireRow(way, id);
    const std::vector<double> times = punchTimes(session, strokes.strokes, id);
    // Everything off at first; then one stage after the other comes on.
    struct Place {
        std::string row;
        Stage stage;
    };
    std::vector<Place> places;
    for (const std::string& at : wayOf(way, id)) {
        for (Stage& stage : requireRow(way, at).chain) {
            const bool fixed = stage.type == "align" || stage.type == "seat";
            // Align and seat only move and scale; they belong to what is recorded.
            if (fixed || !stage.on) continue;
            places.push_back({at, stage});
            stage.on = false;
        }
    }
    Ledger ledger;
    const double rate = session.sampleRate;
    // On buses and main it is the whole mix that drives what presses: there the row is heard as its
    // part of that, with everything else as it is set.
    const auto inTheMix = [&] {
        Session whole = session;
        for (Row& row : whole.rows) {
            row.solo = false;
            if (const Row* set = findRow(way, row.id);
                set != nullptr && (row.id == id || !hasSources(row.kind)))
                row.chain = set->chain;
        }
        requireRow(whole, id).mute = false;
        return renderPart(whole, store, id, heardWithGuests());
    };
    const bool element = hasSources(requireRow(way, id).kind);
    const auto listen = [&](double done, bool bus) {
        report(progress, done, "Listening after every stage");
        const AudioBuffer heard =
            bus && element ? inTheMix() : renderMix(way, store, heardWithGuests(), nullptr, {});
        LedgerLine line = read(heard, times, rate);
        if (heard.channels.empty()) return line;
        const Ringing r = ringing(heard, times, rate);
        if (ledger.lines.empty()) {
            ledger.flatTops = flatTops(heard, times, rate);
            if (hasNote(drumOfRow(session, id))) ledger.note = noteOf(r);
        }
        if (ledger.note > 0.0) line.harmonicsDb = harmonicsDb(r, ledger.note);
        return line;
    };
    ledger.lines.push_back(listen(0.0, false));
    ledger.lines.back().row = id;
    ledger.lines.back().label = requireRow(way, id).name + " · as recorded";
    for (std::size_t i = 0; i < places.size(); ++i) {
        Row& row = requireRow(way, places[i].row);
        requireStage(row, places[i].stage.id).on = true;
        LedgerLine line = listen(
            static_cast<double>(i + 1) / static_cast<double>(places.size() + 1), row.id != id);
        line.row = row.id;
        line.stage = places[i].stage.id;
        line.label = labelOf(row, places[i].stage);
        ledger.lines.push_back(std::move(line));
    }
    const double loud = ledger.lines.front().loudness;
    double most = kTaken, cost = kTaken;
    for (std::size_t i = 0; i < ledger.lines.size(); ++i) {
        LedgerLine& line = ledger.lines[i];
        line.matchedPeakDb = line.peakDb + loud - line.loudness;
        if (i == 0) continue;
        const double taken = ledger.lines[i - 1].transientToBodyDb - line.transientToBodyDb;
        if (taken >= most) {
            most = taken;
            ledger.worst = static_cast<int>(i);
        }
        if (const double lost = line.monoLossDb - ledger.lines[i - 1].monoLossDb; lost >= cost) {
            cost = lost;
            ledger.widest = static_cast<int>(i);
        }
    }
    return ledger;
}

std::string monoText(const Ledger& ledger) {
    if (ledger.lines.empty()) return {};
    const auto lost = [](const LedgerLine& line) {
        return numberText(std::max(0.0, line.monoLossDb), 1) + " dB";
    };
    std::string text = "Mono takes " + lost(ledger.lines.front()) + " as recorded and placed";
    if (ledger.lines.size() == 1) return text + ".";
    text += ", " + lost(ledger.lines.back()) + " at the end";
    if (ledger.widest < 0) return text + "; no stage costs as much as half a dB there.";
    const auto at = static_cast<std::size_t>(ledger.widest);
    return text + "; " + ledger.lines[at].label + " costs most, " +
           numberText(ledger.lines[at].monoLossDb - ledger.lines[at - 1].monoLossDb, 1) + " dB.";
}

std::string colourText(const Ledger& ledger) {
    if (ledger.lines.empty()) return {};
    const LedgerLine &first = ledger.lines.front(), &last = ledger.lines.back();
    const auto grown = [](double by) { return changeText(by, 1) + " dB"; };
    std::string text = "Colour carried as recorded: ";
    const auto some = [](const LedgerLine& l) {
        return l.harmonicsDb && *l.harmonicsDb > kNoHarmonicsDb;
    };
    if (first.harmonicsDb) {
        text += (some(first) ? "harmonics" : "no harmonics") + std::string(" of its ") +
                numberText(ledger.note, 1) + " Hz" +
                (some(first) ? " at " + numberText(*first.harmonicsDb, 1) + " dB" : std::string()) +
                ", ";
    }
    text += "crest " + numberText(first.crestDb, 1) + " dB";
    if (ledger.flatTops > 0.0)
        text += ", " + numberText(100.0 * ledger.flatTops, 1) + " %" +
                " of the strokes flat at the top";
    if (ledger.lines.size() == 1) return text + "; the chain has added none so far.";
    text += "; added so far: ";
    if (some(last))
        text += "harmonics " +
                (some(first) ? grown(*last.harmonicsDb - *first.harmonicsDb)
                             : "now at " + numberText(*last.harmonicsDb, 1) + " dB") +
                ", ";
    return text + "crest " + grown(last.crestDb - first.crestDb) + ".";
}

OrderTest testOrder(const Session& session, const KitStrokes& strokes, AudioStore& store,
                    const std::string& id, const std::string& stageId, const Progress& progress) {
    Session way = withRowsAndKeys(session, wayOf(session, id));
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
    const std::vector<double> times = punchTimes(session, strokes.strokes, id);
    report(progress, 0.1, test.first + " first");
    const AudioBuffer now = renderMix(way, store, heardWithGuests(), nullptr, progress);
    const Session turned = withStageMoved(way, id, stageId, 1);
    report(progress, 0.5, test.second + " first");
    AudioBuffer swapped = renderMix(turned, store, heardWithGuests(), nullptr, progress);
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
    test.sentences.push_back(test.second + " first, at the same loudness: crest " +
                             (crest >= 0.0 ? "+" : "") + numberText(crest, 1) + " dB" +
                             ", attack against body " + changeText(punch, 1) + " dB, peak " +
                             changeText(peak, 1) + " dB.");
    if (std::abs(punch) >= kTaken)
        test.sentences.push_back(punch > 0.0 ? "It keeps more of the attack that way."
                                             : "The attack is better kept as it is.");
    return test;
}

}  // namespace ember
