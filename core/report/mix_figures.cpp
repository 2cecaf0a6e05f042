#include "core/report/mix_figures.h"

#include "core/base/error.h"
#include "core/base/units.h"
#include "core/engine/render.h"
#include "core/report/bus_members.h"
#include "core/session/diff.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

constexpr int kPerOctave = 3;

using Sides = std::vector<std::span<const float>>;

Sides sidesOf(const AudioBuffer& audio) {
    return {audio.channels.begin(), audio.channels.end()};
}

Spectrum thirds(const AudioBuffer& audio) {
    SpectrumMeter meter(audio.sampleRate);
    meter.add(sidesMixed(audio));
    return meter.result(kPerOctave);
}

double leftAgainstRight(const AudioBuffer& audio) {
    if (audio.channels.size() < 2) return 0.0;
    constexpr double kNothing = 1e-12;  // of a side, as mean power
    std::array<double, 2> power{kNothing, kNothing};
    for (std::size_t c = 0; c < power.size(); ++c) {
        for (const float x : audio.channels[c])
            power[c] += static_cast<double>(x) * static_cast<double>(x) /
                        static_cast<double>(audio.frames());
    }
    return 10.0 * std::log10(power[0] / power[1]);
}

// A mix over a stretch: its figures, and how the main sounds.
struct Heard {
    std::vector<RowFigures> rows;
    AudioBuffer main;
};

Heard hear(const Session& session, AudioStore& store, const std::vector<Stroke>& strokes,
           double from, double to, bool withGuests, const Progress& progress) {
    RenderOptions options = heardOver(from, to);
    options.withGuests = withGuests;
    std::vector<RowAudio> rows = renderRows(session, store, options, within(progress, 0.0, 0.6));
    Heard heard;
    const std::string main = mainRow(session);
    for (std::size_t r = 0; r < rows.size(); ++r) {
        report(progress, 0.6 + 0.4 * static_cast<double>(r) / static_cast<double>(rows.size()),
               "Measuring what every row sounds like");
        const AudioBuffer& audio = rows[r].audio;
        const bool whole = rows[r].row == main;
        RowFigures figures{measureLevels(sidesOf(audio), audio.sampleRate,
                                         whole ? LoudnessDetail::full : LoudnessDetail::integrated),
                           {},
                           0.0};
        figures.levels.row = rows[r].row;
        figures.leftDb = leftAgainstRight(audio);
        figures.levels.spectrum = thirds(audio);
        std::vector<double> times = punchTimes(session, strokes, rows[r].row);
        for (double& t : times) t -= from;
        std::erase_if(times, [](double t) { return t < 0.0; });
        figures.punch = punchOf(sidesOf(audio), times, audio.sampleRate);
        heard.rows.push_back(std::move(figures));
        if (whole) heard.main = std::move(rows[r].audio);
    }
    return heard;
}

void addRows(const Session& of, const Heard& a, const Heard& b, std::vector<ComparedRow>& rows) {
    for (const Row& row : of.rows) {
        const bool there = std::any_of(rows.begin(), rows.end(),
                                       [&](const ComparedRow& r) { return r.row == row.id; });
        const RowFigures *inA = figuresOf(a.rows, row.id), *inB = figuresOf(b.rows, row.id);
        if (there || (inA == nullptr && inB == nullptr)) continue;
        ComparedRow compared{row.id, row.name, {}, {}};
        if (inA != nullptr) compared.a = *inA;
        if (inB != nullptr) compared.b = *inB;
        rows.push_back(std::move(compared));
    }
}

}  // namespace

RenderOptions heardOver(double from, double to) {
    RenderOptions options;
    options.from = from;
    options.to = to < 0.0 ? from + kLongestCompared : std::min(to, from + kLongestCompared);
    options.withGuests = true;
    return options;
}

const RowFigures* figuresOf(const std::vector<RowFigures>& list, const std::string& row) {
    const auto at = std::find_if(list.begin(), list.end(),
                                 [&](const RowFigures& f) { return f.levels.row == row; });
    return at == list.end() ? nullptr : &*at;
}

double differenceDb(const AudioBuffer& a, const AudioBuffer& b, double gainDb) {
    const auto gain = static_cast<float>(gainFromDb(gainDb));
    double left = 0.0, whole = 0.0;
    for (std::size_t c = 0; c < a.channels.size() && c < b.channels.size(); ++c) {
        const std::size_t count = std::min(a.channels[c].size(), b.channels[c].size());
        for (std::size_t i = 0; i < count; ++i) {
            const auto is = static_cast<double>(a.channels[c][i]),
                       less = is - static_cast<double>(gain * b.channels[c][i]);
            left += less * less;
            whole += is * is;
        }
    }
    return whole > 0.0 ? std::max(kSilenceDb, 10.0 * std::log10((left + 1e-30) / whole))
                       : kSilenceDb;
}

std::vector<RowFigures> mixFigures(const Session& session, AudioStore& store,
                                   const std::vector<Stroke>& strokes, double from, double to,
                                   const Progress& progress) {
    return hear(session, store, strokes, from, to, false, progress).rows;
}

MixComparison compareMixes(const Session& a, const Session& b, AudioStore& store,
                           const std::vector<Stroke>& strokes, double from, double to,
                           const Progress& progress) {
    MixComparison result;
    Heard inA = hear(a, store, strokes, from, to, true, within(progress, 0.0, 0.5));
    const Heard inB = hear(b, store, strokes, from, to, true, within(progress, 0.5, 1.0));
    result.from = from;
    result.to = from + static_cast<double>(inA.main.frames()) / a.sampleRate;
    addRows(b, inA, inB, result.rows);
    addRows(a, inA, inB, result.rows);
    const std::string main = mainRow(b);
    std::stable_partition(result.rows.begin(), result.rows.end(),
                          [&](const ComparedRow& r) { return r.row != main; });
    result.settings = diff(a, b).sentences();
    const RowFigures *mainA = figuresOf(inA.rows, mainRow(a)), *mainB = figuresOf(inB.rows, main);
    if (mainA != nullptr && mainB != nullptr && mainA->levels.integrated > kSilenceDb &&
        mainB->levels.integrated > kSilenceDb)
        result.gainDb = mainA->levels.integrated - mainB->levels.integrated;
    result.differenceDb = ember::differenceDb(inA.main, inB.main, result.gainDb);
    return result;
}

}  // namespace ember
