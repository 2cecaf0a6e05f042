// What an accepted proposal did, read from the recordings as the session plays them.

#include "core/advise/proposal.h"
#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/partials.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

// The rows named and nothing else, into a neutral main; of their chains only align and `stage` may
// be on.
Session alone(const Session& session, const std::vector<std::string>& rows,
              const std::string& stage, bool stageOn) {
    Session out = session;
    out.rows.clear();
    for (const Row& row : session.rows) {
        const bool wanted = std::find(rows.begin(), rows.end(), row.id) != rows.end();
        if (!wanted && row.kind != RowKind::main) continue;
        Row copy = row;
        copy.mute = copy.solo = false;
        if (row.kind == RowKind::main) {
            copy.chain = makeChain(RowKind::main);
        } else {
            for (const Row& main : session.rows) {
                if (main.kind == RowKind::main) copy.parent = main.id;
            }
            for (Stage& s : copy.chain) {
                if (s.type == "seat") s = makeStage("seat");
                if (s.type == "align" && s.id != stage) continue;
                if (s.type != "seat") s.on = s.id == stage && stageOn;
                s.key.clear();
            }
        }
        out.rows.push_back(std::move(copy));
    }
    return out;
}

std::vector<float> play(const Session& session, AudioStore& store, const Progress& progress) {
    AudioBuffer mix = renderMix(session, store, {}, nullptr, progress);
    return mix.channels.empty() ? std::vector<float>{} : std::move(mix.channels.front());
}

double valueOf(const Proposal& p, const std::string& parameter, double otherwise) {
    for (const ParameterMove& m : p.moves) {
        if (m.parameter == parameter) return m.value;
    }
    return otherwise;
}

float peakAt(const std::vector<float>& x, double time, double seconds, double rate) {
    float peak = 0.0F;
    const auto from = static_cast<std::size_t>(std::max(0.0, time * rate));
    for (std::size_t i = from;
         i < std::min(x.size(), from + static_cast<std::size_t>(seconds * rate)); ++i)
        peak = std::max(peak, std::abs(x[i]));
    return peak;
}

void measureGate(Proposal& p, const std::vector<float>& before, const std::vector<float>& after,
                 const KitMeasurement& m, double moved, double rate) {
    const double open =
        (valueOf(p, "stroke-length", valueOf(p, "hold", 60.0)) + valueOf(p, "release", 120.0)) *
        1e-3;
    std::vector<bool> between(before.size(), true);
    int ghosts = 0, kept = 0;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum != p.drum) continue;
        const double time = s.time + moved;
        const auto from = static_cast<std::size_t>(std::max(0.0, (time - 0.012) * rate)),
                   to = std::min(between.size(), static_cast<std::size_t>(
                                                     std::max(0.0, (time + open + 0.02) * rate)));
        for (std::size_t i = from; i < to; ++i) between[i] = false;
        if (s.kind != StrokeKind::ghost) continue;
        ++ghosts;
        // Lost is what comes out 3 dB softer than it went in.
        if (peakAt(after, time, 0.02, rate) >= 0.708F * peakAt(before, time, 0.02, rate)) ++kept;
    }
    double was = 1e-12, is = 1e-12;
    for (std::size_t i = 0; i < std::min(before.size(), after.size()); ++i) {
        if (!between[i]) continue;
        was += static_cast<double>(before[i]) * static_cast<double>(before[i]);
        is += static_cast<double>(after[i]) * static_cast<double>(after[i]);
    }
    for (Effect& e : p.effects) {
        if (e.what == "ghost notes kept" && ghosts > 0) e.measured = 100.0 * kept / ghosts;
        if (e.what == "bleed between strokes") e.measured = 10.0 * std::log10(is / was);
    }
}

// Power of an octave over the drum's strokes.
double octavePower(const std::vector<float>& x, const std::vector<double>& times, double hertz,
                   double rate) {
    int length = 1024;
    while (length < static_cast<int>(0.16 * rate)) length *= 2;
    RealFft fft(length);
    std::vector<double> power;
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, (t - 0.01) * rate)),
                   count = static_cast<std::size_t>(0.1 * rate);
        if (from + count <= x.size()) addPower(fft, {x.data() + from, count}, power);
    }
    const double width = rate / length;
    double sum = 1e-20;
    for (auto k = static_cast<std::size_t>(hertz / std::numbers::sqrt2 / width);
         k < power.size() && static_cast<double>(k) * width < hertz * std::numbers::sqrt2; ++k)
        sum += power[k];
    return sum;
}

void measureAlign(Proposal& p, const Session& accepted, AudioStore& store,
                  const Progress& progress) {
    const auto power = [&](const std::vector<std::string>& rows, bool on) {
        return octavePower(play(alone(accepted, rows, "align", on), store, progress), p.evidence,
                           p.mainHertz, accepted.sampleRate);
    };
    const auto loss = [&](bool on) {
        const double a = power({p.row}, on), b = power({p.against}, on),
                     both = power({p.row, p.against}, on);
        return 10.0 * std::log10(both / std::pow(std::sqrt(a) + std::sqrt(b), 2.0));
    };
    for (Effect& e : p.effects) {
        e.before = loss(false);
        e.measured = loss(true);
    }
}

void measureRepair(Proposal& p, const std::vector<float>& before, const std::vector<float>& after,
                   double rate) {
    int band = 3;
    for (Effect& e : p.effects) {
        const double hertz = valueOf(p, "b" + std::to_string(band++) + ".frequency", 0.0);
        if (hertz <= 0.0 || !e.before) continue;
        // A narrow band around the ring, well after the stroke.
        std::vector<double> was, is;
        int length = 1024;
        while (length < static_cast<int>(0.3 * rate)) length *= 2;
        RealFft fft(length);
        for (const double t : p.evidence) {
            const auto from = static_cast<std::size_t>((t + 0.04) * rate),
                       count = static_cast<std::size_t>(0.16 * rate);
            if (from + count > before.size() || from + count > after.size()) continue;
            addPower(fft, {before.data() + from, count}, was);
            addPower(fft, {after.data() + from, count}, is);
        }
        const auto k = static_cast<std::size_t>(std::lround(hertz / (rate / length)));
        if (k < was.size())
            e.measured = *e.before + 10.0 * std::log10((is[k] + 1e-20) / (was[k] + 1e-20));
    }
}

}  // namespace

void measureEffects(Proposal& p, const Session& accepted, const KitMeasurement& measured,
                    AudioStore& store, const Progress& progress) {
    const double rate = accepted.sampleRate;
    if (p.step == "align") {
        measureAlign(p, accepted, store, progress);
        return;
    }
    const std::vector<float> before =
                                 play(alone(accepted, {p.row}, p.stage, false), store, progress),
                             after = play(alone(accepted, {p.row}, p.stage, true), store, progress);
    const Row* row = findRow(accepted, p.row);
    const Stage* align = row != nullptr ? findStage(*row, "align") : nullptr;
    // Align moves the recording, and the strokes with it.
    double moved = 0.0;
    if (align != nullptr && align->on) {
        const ParameterTable table = processorType("align").table;
        moved = align->values[static_cast<std::size_t>(parameterIndex(table, "delay"))] * 1e-3;
    }
    if (p.step == "gate") measureGate(p, before, after, measured, moved, rate);
    if (p.step == "repair") measureRepair(p, before, after, rate);
}

}  // namespace ember
