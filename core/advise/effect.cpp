// What an accepted proposal did, read from the recordings as the session plays them.

#include "core/advise/common.h"
#include "core/base/fft.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/measure/sound/partials.h"
#include "core/measure/strokes/stroke_figures.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

// The rows named and nothing else, into a neutral main; of their chains only align and `stage` may
// be on.
Session alone(const Session& session, const std::vector<std::string>& rows,
              const std::string& stage, bool stageOn) {
    std::vector<std::string> kept = rows;
    kept.push_back(mainRow(session));
    Session out = withOnlyRows(session, kept);
    for (Row& row : out.rows) {
        if (row.kind == RowKind::main) {
            row.chain = makeChain(RowKind::main);
            continue;
        }
        for (Stage& s : row.chain) {
            if (s.type == "seat" && s.id != stage) s = makeStage("seat");
            if (s.type == "align" && s.id != stage) continue;
            if (s.type != "seat") s.on = s.id == stage && stageOn;
            s.key.clear();
        }
    }
    return out;
}

// The row with what the proposal set off again. An equaliser's other bands are other proposals'
// work: they are on either way.
Session without(const Session& accepted, const Proposal& p) {
    const Row* row = findRow(accepted, p.row);
    const Stage* stage = row != nullptr ? findStage(*row, p.stage) : nullptr;
    if (stage == nullptr || stage->type != "eq") return alone(accepted, {p.row}, p.stage, false);
    Session out = alone(accepted, {p.row}, p.stage, true);
    const ParameterTable table = processorType("eq").table;
    std::vector<double>& values = requireStage(requireRow(out, p.row), p.stage).values;
    for (const ParameterMove& move : p.moves) {
        if (move.parameter.ends_with(".on"))
            values[static_cast<std::size_t>(parameterIndex(table, move.parameter))] = 0.0;
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

// How much of the 15 to 150 ms after kick and tom strokes, away from the drum's own, comes out
// (dB).
double passed(const std::vector<float>& before, const std::vector<float>& after, const Proposal& p,
              const KitMeasurement& m, double moved, double rate) {
    double was = 1e-12, is = 1e-12;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum != "kick" && !isTom(s.drum)) continue;
        const bool own =
            std::any_of(m.strokes.strokes.begin(), m.strokes.strokes.end(), [&](const Stroke& o) {
                return o.drum == p.drum && o.time > s.time - 0.6 && o.time < s.time + 0.17;
            });
        if (own) continue;
        const auto from = static_cast<std::size_t>(std::max(0.0, (s.time + moved + 0.015) * rate)),
                   to = std::min({before.size(), after.size(),
                                  from + static_cast<std::size_t>(0.135 * rate)});
        for (std::size_t i = from; i < to; ++i) {
            was += static_cast<double>(before[i]) * static_cast<double>(before[i]);
            is += static_cast<double>(after[i]) * static_cast<double>(after[i]);
        }
    }
    return 10.0 * std::log10(is / was);
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
        if (e.kind == EffectKind::ghosts && ghosts > 0) e.measured = 100.0 * kept / ghosts;
        if (e.kind == EffectKind::bleed) e.measured = 10.0 * std::log10(is / was);
        // The same answer, let through where the gate was closed.
        if (e.kind == EffectKind::wires && e.before)
            e.measured = *e.before + passed(before, after, p, m, moved, rate);
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
    // Power by channel of the main.
    const auto powers = [&](const std::vector<std::string>& rows, bool on) {
        const AudioBuffer mix =
            renderMix(alone(accepted, rows, "align", on), store, {}, nullptr, progress);
        std::vector<double> out;
        for (const auto& channel : mix.channels)
            out.push_back(octavePower(channel, p.evidence, p.mainHertz, accepted.sampleRate));
        return out;
    };
    const auto loss = [&](bool on) {
        const auto a = powers({p.row}, on), b = powers({p.against}, on),
                   both = powers({p.row, p.against}, on);
        // On the side where the two are heard together best: a pair may hear the drum on one only.
        std::size_t side = 0;
        for (std::size_t c = 1; c < both.size(); ++c)
            if (a[c] * b[c] > a[side] * b[side]) side = c;
        return 10.0 *
               std::log10(both[side] / std::pow(std::sqrt(a[side]) + std::sqrt(b[side]), 2.0));
    };
    for (Effect& e : p.effects) {
        e.before = loss(false);
        e.measured = loss(true);
    }
}

void measureRepair(Proposal& p, const std::vector<float>& before, const std::vector<float>& after,
                   double moved, double rate) {
    // Energy of a band over the strokes, read as their tone is: the window's middle at the stroke,
    // half of it looks at silence before.
    const auto count = static_cast<std::size_t>(0.15 * rate);
    const auto energy = [&](const std::vector<float>& x, double low, double high) {
        int length = 1024;
        while (length < static_cast<int>(2 * count)) length *= 2;
        RealFft fft(length);
        std::vector<double> power;
        std::vector<float> padded(2 * count, 0.0F);
        for (const double t : p.evidence) {
            const auto from = static_cast<std::size_t>(std::max(0.0, (t + moved) * rate));
            if (from + count > x.size()) continue;
            std::copy_n(x.data() + from, count, padded.data() + count);
            addPower(fft, padded, power);
        }
        double sum = 1e-20;
        for (auto k = static_cast<std::size_t>(low * length / rate);
             k < power.size() && static_cast<double>(k) * rate / length < high; ++k)
            sum += power[k];
        return sum;
    };
    for (Effect& e : p.effects) {
        if (e.kind == EffectKind::band && e.before) {
            e.measured = *e.before + 10.0 * std::log10(energy(after, e.fromHertz, e.toHertz) /
                                                       energy(before, e.fromHertz, e.toHertz));
            continue;
        }
        const double hertz = e.fromHertz;
        if (e.kind != EffectKind::ring || hertz <= 0.0 || !e.before) continue;
        // A narrow band around the ring, well after the stroke.
        std::vector<double> was, is;
        int length = 1024;
        while (length < static_cast<int>(0.3 * rate)) length *= 2;
        RealFft fft(length);
        for (const double t : p.evidence) {
            const auto from = static_cast<std::size_t>((t + moved + 0.04) * rate),
                       span = static_cast<std::size_t>(0.16 * rate);
            if (from + span > before.size() || from + span > after.size()) continue;
            addPower(fft, {before.data() + from, span}, was);
            addPower(fft, {after.data() + from, span}, is);
        }
        const auto k = static_cast<std::size_t>(std::lround(hertz / (rate / length)));
        if (k < was.size())
            e.measured = *e.before + 10.0 * std::log10((is[k] + 1e-20) / (was[k] + 1e-20));
    }
}

// The strongest note near the one foretold, once the strokes have settled.
void measureTune(Proposal& p, const std::vector<float>& after, double moved, double rate) {
    constexpr double kNear = 1.12;
    if (p.effects.empty() || !p.effects.front().predicted) return;
    Effect& e = p.effects.front();
    const int length = rate > 60000.0 ? 65536 : 32768;
    RealFft fft(length);
    std::vector<double> power;
    for (const double t : p.evidence) {
        const auto from = static_cast<std::size_t>(std::max(0.0, (t + moved + 0.06) * rate)),
                   count = static_cast<std::size_t>(0.2 * rate);
        if (from + count <= after.size()) addPower(fft, {after.data() + from, count}, power);
    }
    const double width = rate / length;
    std::size_t best = 0;
    for (auto k = static_cast<std::size_t>(*e.predicted / kNear / width);
         k < power.size() && static_cast<double>(k) * width < *e.predicted * kNear; ++k) {
        if (best == 0 || power[k] > power[best]) best = k;
    }
    if (best > 0) e.measured = peakBin(power, best) * width;
}

// What the full strokes were and became: their spread, crest, and attack against body (tone.h).
void measureShape(Proposal& p, const std::vector<double>& times, const std::vector<float>& before,
                  const std::vector<float>& after, double moved, double rate) {
    struct Shape {
        double spread = 0.0, crest = 0.0, attackToBody = 0.0;
    };
    const auto read = [&](const std::vector<float>& x) {
        std::vector<double> energies, crests, ratios;
        for (const double t : times) {
            const double time = t + moved;
            const auto from = static_cast<std::size_t>(std::max(0.0, time * rate)),
                       whole = static_cast<std::size_t>(kStrokeSeconds * rate);
            if (from + whole > x.size()) continue;
            const StrokeFigures figures = readStroke(std::span(x).subspan(from, whole), rate);
            energies.push_back(10.0 * std::log10(figures.energy));
            crests.push_back(figures.crestDb);
            ratios.push_back(figures.transientToBodyDb);
        }
        Shape s;
        if (energies.empty()) return s;
        double mean = 0.0;
        for (const double v : energies) mean += v / static_cast<double>(energies.size());
        for (const double v : energies) s.spread += (v - mean) * (v - mean);
        s.spread = std::sqrt(s.spread / static_cast<double>(energies.size()));
        std::sort(crests.begin(), crests.end());
        std::sort(ratios.begin(), ratios.end());
        s.crest = crests[crests.size() / 2];
        s.attackToBody = ratios[ratios.size() / 2];
        return s;
    };
    const Shape was = read(before), is = read(after);
    for (Effect& e : p.effects) {
        // Prediction and measurement are read alike: the prediction's change, from what was
        // measured.
        const auto put = [&](double from, double to) {
            if (e.before && e.predicted) e.predicted = from + (*e.predicted - *e.before);
            e.before = from;
            e.measured = to;
        };
        if (e.kind == EffectKind::spread) put(was.spread, is.spread);
        if (e.kind == EffectKind::punch) put(was.attackToBody, is.attackToBody);
        if (e.kind == EffectKind::crest) put(was.crest, is.crest);
    }
}

// The row as it leaves its seat, before any processing and before the faders of buses and main:
// what its target speaks of.
void measureSeat(Proposal& p, const Session& accepted, const KitMeasurement& m, double moved,
                 AudioStore& store, const Progress& progress) {
    const Row* row = findRow(accepted, p.row);
    const LevelTarget* target = row != nullptr ? targetFor(accepted, *row) : nullptr;
    if (target == nullptr || p.effects.empty()) return;
    const AudioBuffer mix =
        renderMix(alone(accepted, {p.row}, p.stage, true), store, {}, nullptr, progress);
    if (!target->peak) {
        const std::vector<std::span<const float>> sides(mix.channels.begin(), mix.channels.end());
        p.effects.front().measured = measureLevels(sides, accepted.sampleRate).integrated;
        return;
    }
    std::vector<double> peaks;
    for (const Stroke& s : m.strokes.strokes) {
        if (s.drum != p.drum) continue;
        float peak = 0.0F;
        for (const auto& side : mix.channels)
            peak = std::max(peak, peakAt(side, s.time + moved - 0.001, 0.03, accepted.sampleRate));
        peaks.push_back(dbFromGain(static_cast<double>(peak)));
    }
    if (peaks.empty()) return;
    std::sort(peaks.begin(), peaks.end());
    const double part = target->strokes == TargetStrokes::loudest ? 0.95 : 0.5;
    p.effects.front().measured =
        peaks[static_cast<std::size_t>(part * static_cast<double>(peaks.size() - 1))];
}

}  // namespace

void measureEffects(Proposal& p, const Session& accepted, const KitMeasurement& measured,
                    AudioStore& store, const Progress& progress) {
    const double rate = accepted.sampleRate;
    if (!p.effects.empty() && p.effects.front().kind == EffectKind::sides) {
        const AudioBuffer mix =
            renderMix(alone(accepted, {p.row}, p.stage, true), store, {}, nullptr, progress);
        const std::vector<std::span<const float>> sides(mix.channels.begin(), mix.channels.end());
        p.effects.front().measured = measureLevels(sides, rate).correlation;
        return;
    }
    if (p.step == "align") {
        measureAlign(p, accepted, store, progress);
        return;
    }
    const Row* row = findRow(accepted, p.row);
    const Stage* align = row != nullptr ? findStage(*row, "align") : nullptr;
    // Align moves the recording, and the strokes with it.
    double moved = 0.0;
    if (align != nullptr && align->on) {
        const ParameterTable table = processorType("align").table;
        moved = align->values[static_cast<std::size_t>(parameterIndex(table, "delay"))] * 1e-3;
    }
    if (p.step == "seat") return measureSeat(p, accepted, measured, moved, store, progress);
    const std::vector<float> before = play(without(accepted, p), store, progress),
                             after = play(alone(accepted, {p.row}, p.stage, true), store, progress);
    if (p.stageType == "stroke") return measureTune(p, after, moved, rate);
    if (p.step == "gate") measureGate(p, before, after, measured, moved, rate);
    if (p.step == "repair") measureRepair(p, before, after, moved, rate);
    measureShape(p, evidenceOf(measured, p.drum, true), before, after, moved, rate);
}

}  // namespace ember
