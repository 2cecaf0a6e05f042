#include "core/report/cut_samples.h"

#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/report/separate.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kFadeOut = 0.03;         // seconds
constexpr double kStruckTogether = 0.02;  // the same

double energyOver(const std::vector<float>& x, std::size_t from, std::size_t to) {
    double sum = 1e-12;
    for (std::size_t i = from; i < std::min(to, x.size()); ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return sum;
}

void removeAll(const std::vector<CutSample>& samples) {
    for (const CutSample& s : samples) {
        std::error_code code;
        std::filesystem::remove(s.file, code);
    }
}

}  // namespace

std::vector<StrokeToCut> strokesAlone(const std::vector<Stroke>& strokes, std::string_view drum,
                                      double longest, double end) {
    std::vector<StrokeToCut> out;
    for (std::size_t s = 0; s < strokes.size(); ++s) {
        const Stroke& stroke = strokes[s];
        if (stroke.drum != drum || stroke.kind == StrokeKind::flam) continue;
        const auto next =
            std::find_if(strokes.begin() + static_cast<std::ptrdiff_t>(s) + 1, strokes.end(),
                         [&](const Stroke& o) { return o.drum == drum && o.time > stroke.time; });
        const double until = next != strokes.end() ? next->time - 2.0 * kCutAhead : end;
        const double seconds = std::min(longest, until - stroke.time);
        if (seconds >= kStandsAlone)
            out.push_back({stroke.time, seconds, stroke.velocity, 0.0, 1, 1});
    }
    return out;
}

double disturbance(const std::vector<Stroke>& strokes, std::string_view drum,
                   const StrokeToCut& own) {
    double sum = 2.0 * std::max(0.0, kAloneEnough - own.seconds) / kAloneEnough;
    for (const Stroke& other : strokes) {
        if (other.drum == drum || other.time < own.time - kStruckTogether ||
            other.time > own.time + std::min(own.seconds, kAloneEnough))
            continue;
        sum += other.velocity * other.velocity;
    }
    return sum;
}

std::vector<StrokeToCut> cleanestOfSteps(std::vector<StrokeToCut> strokes, int steps,
                                         int variations) {
    std::stable_sort(
        strokes.begin(), strokes.end(),
        [](const StrokeToCut& a, const StrokeToCut& b) { return a.velocity < b.velocity; });
    const std::size_t most = std::min(static_cast<std::size_t>(steps), strokes.size());
    for (std::size_t i = 0; i < strokes.size(); ++i)
        strokes[i].step = 1 + static_cast<int>(i * most / strokes.size());
    std::stable_sort(strokes.begin(), strokes.end(),
                     [](const StrokeToCut& a, const StrokeToCut& b) {
                         return a.step != b.step ? a.step < b.step : a.unclean < b.unclean;
                     });
    std::vector<StrokeToCut> out;
    for (const StrokeToCut& s : strokes) {
        const int variation =
            !out.empty() && out.back().step == s.step ? out.back().variation + 1 : 1;
        if (variation > variations) continue;
        out.push_back(s);
        out.back().variation = variation;
    }
    return out;
}

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
    std::vector<StrokeToCut> clean =
        strokesAlone(strokes, drum, options.longest,
                     static_cast<double>(mic->offset + std::ssize(others)) / rate);
    if (clean.empty())
        throw Error("No stroke of " + drumName(session, drum) +
                    " stands alone for long enough to be cut out.");
    // What lies over it counts, and what is missing to half a second alone.
    const auto missing = [](const StrokeToCut& c) {
        return 20.0 * std::max(0.0, kAloneEnough - c.seconds) / kAloneEnough;
    };
    for (StrokeToCut& c : clean) {
        const std::size_t from = frameOf(c.time),
                          to = frameOf(c.time + std::min(c.seconds, kAloneEnough));
        c.unclean = missing(c) + 10.0 * std::log10(energyOver(others, from, to) /
                                                   energyOver(own.channels.front(), from, to));
    }
    std::vector<CutSample> out;
    for (const StrokeToCut& c :
         cleanestOfSteps(std::move(clean), options.steps, options.variations)) {
        CutSample sample{folder / (drumName(session, drum) + " v" + std::to_string(c.step) + " r" +
                                   std::to_string(c.variation) + ".wav"),
                         c.time,
                         c.velocity,
                         c.step,
                         c.variation,
                         c.seconds,
                         c.unclean - missing(c)};
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
