#include "core/report/cut_samples.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/report/separate.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kFadeOut = 0.03;   // seconds
constexpr double kShortest = 0.12;  // seconds that a stroke has to stand alone
constexpr double kEnough = 0.6;     // seconds alone from which on longer is no better

struct Cut {
    const Stroke* stroke = nullptr;
    double seconds = 0.0;  // until the drum's next stroke
    double othersDb = 0.0;
    int step = 1;
};

double energyOver(const std::vector<float>& x, std::size_t from, std::size_t to) {
    double sum = 1e-12;
    for (std::size_t i = from; i < std::min(to, x.size()); ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return sum;
}

// Cleaner first: what lies over it counts, and what is missing to half a second alone.
double unclean(const Cut& c) {
    return c.othersDb + 20.0 * std::max(0.0, kEnough - c.seconds) / kEnough;
}

void removeAll(const std::vector<CutSample>& samples) {
    for (const CutSample& s : samples) {
        std::error_code code;
        std::filesystem::remove(s.file, code);
    }
}

}  // namespace

AudioBuffer fadedCut(const AudioBuffer& whole, std::size_t from, std::size_t to) {
    const double rate = whole.sampleRate;
    AudioBuffer cut{rate, {}};
    for (const auto& side : whole.channels) {
        std::vector<float> x(side.begin() + static_cast<std::ptrdiff_t>(from),
                             side.begin() + static_cast<std::ptrdiff_t>(to));
        for (std::size_t i = 0; i < x.size(); ++i) {
            const double in = static_cast<double>(i) / (0.5 * kCutAhead * rate),
                         left = static_cast<double>(x.size() - i) / (kFadeOut * rate);
            x[i] *= static_cast<float>(
                0.5 - 0.5 * std::cos(std::numbers::pi * std::min({1.0, in, left})));
        }
        cut.channels.push_back(std::move(x));
    }
    return cut;
}

const Row* closeMicrophone(const Session& session, std::string_view drum) {
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::element && playsRecordings(row) && isMicrophone(row.role) &&
            drumOfRow(session, row.id) == drum)
            return &row;
    }
    return nullptr;
}

std::vector<CutSample> cutSamples(const Session& session, AudioStore& store,
                                  const std::vector<Stroke>& strokes, const BleedModel& model,
                                  const std::string& rowId, const std::filesystem::path& folder,
                                  const CutOptions& options, const Progress& progress) {
    const Row* row = findRow(session, rowId);
    if (row == nullptr) throw Error("There is no row “" + rowId + "”.");
    const std::string drum = drumOfRow(session, rowId);
    const int part = model.drumOf(drum);
    if (drum.empty() || part < 0)
        throw Error("“" + row->name +
                    "” stands at no drum that can be told apart; choose a close microphone.");
    const KitMics kit = kitMics(session, store);
    const auto mic = std::find_if(kit.mics.begin(), kit.mics.end(),
                                  [&](const MicSignal& m) { return m.id == rowId; });
    if (mic == kit.mics.end() || model.channelOf(rowId, 0) < 0)
        throw Error("“" + row->name + "” was not taken apart; take the kit apart anew.");
    AudioBuffer own{kit.sampleRate, {}};
    std::vector<float> others;
    for (int c = 0; c < static_cast<int>(mic->channels.size()); ++c) {
        report(progress, 0.4 * c / static_cast<double>(mic->channels.size()), row->name);
        own.channels.push_back(partOf(model, *mic, c, static_cast<std::size_t>(part)));
        const auto whole = mic->channels[static_cast<std::size_t>(c)];
        others.resize(own.channels.back().size(), 0.0F);
        for (std::size_t i = 0; i < others.size(); ++i)
            others[i] += whole[i] - own.channels.back()[i];
    }
    const double rate = kit.sampleRate;
    const auto frameOf = [&](double time) {
        return static_cast<std::size_t>(
            std::max(0.0, std::round(time * rate) - static_cast<double>(mic->offset)));
    };
    std::vector<Cut> clean;
    for (std::size_t s = 0; s < strokes.size(); ++s) {
        if (strokes[s].drum != drum || strokes[s].kind == StrokeKind::flam) continue;
        const auto next = std::find_if(
            strokes.begin() + static_cast<std::ptrdiff_t>(s) + 1, strokes.end(),
            [&](const Stroke& o) { return o.drum == drum && o.time > strokes[s].time; });
        const double end = next != strokes.end()
                               ? next->time - 2.0 * kCutAhead
                               : static_cast<double>(mic->offset + std::ssize(others)) / rate;
        Cut c{&strokes[s], std::min(options.longest, end - strokes[s].time), 0.0, 1};
        if (c.seconds < kShortest) continue;
        const std::size_t from = frameOf(c.stroke->time),
                          to = frameOf(c.stroke->time + std::min(c.seconds, kEnough));
        c.othersDb = 10.0 * std::log10(energyOver(others, from, to) /
                                       energyOver(own.channels.front(), from, to));
        clean.push_back(c);
    }
    if (clean.empty())
        throw Error("No stroke of " + drumName(session, drum) +
                    " stands alone for long enough to be cut out.");
    std::sort(clean.begin(), clean.end(),
              [](const Cut& a, const Cut& b) { return a.stroke->velocity < b.stroke->velocity; });
    // As many strokes in each step: steps follow how it was played.
    const int steps = std::min<int>(options.steps, static_cast<int>(clean.size()));
    for (std::size_t i = 0; i < clean.size(); ++i)
        clean[i].step = 1 + static_cast<int>(i * static_cast<std::size_t>(steps) / clean.size());
    std::stable_sort(clean.begin(), clean.end(), [](const Cut& a, const Cut& b) {
        return a.step != b.step ? a.step < b.step : unclean(a) < unclean(b);
    });
    std::vector<CutSample> out;
    for (const Cut& c : clean) {
        const int variation =
            !out.empty() && out.back().step == c.step ? out.back().variation + 1 : 1;
        if (variation > options.variations) continue;
        CutSample sample{folder / (drumName(session, drum) + " v" + std::to_string(c.step) + " r" +
                                   std::to_string(variation) + ".wav"),
                         c.stroke->time,
                         c.stroke->velocity,
                         c.step,
                         variation,
                         c.seconds,
                         c.othersDb};
        if (std::filesystem::exists(sample.file))
            throw Error("“" + sample.file.string() +
                        "” is there already; choose a folder without such samples.");
        out.push_back(std::move(sample));
    }
    std::filesystem::create_directories(folder);
    std::vector<CutSample> written;
    try {
        for (CutSample& sample : out) {
            report(
                progress,
                0.5 + 0.5 * static_cast<double>(written.size()) / static_cast<double>(out.size()),
                sample.file.filename().string());
            const std::size_t from = frameOf(sample.time - kCutAhead),
                              to = std::min(own.frames(), frameOf(sample.time + sample.seconds));
            written.push_back(sample);
            writeAudio(sample.file, fadedCut(own, from, to), SampleDepth::float32);
        }
    } catch (...) {
        removeAll(written);
        throw;
    }
    return out;
}

}  // namespace ember
