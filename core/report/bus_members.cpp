#include "core/report/bus_members.h"

#include "core/base/error.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/report/mix_figures.h"

#include <algorithm>
#include <cmath>

namespace ember {

std::vector<RowAudio> busMembers(const Session& session, AudioStore& store, const std::string& bus,
                                 bool withGuests, double from, double to,
                                 const Progress& progress) {
    RenderOptions options = heardOver(from, to);
    options.withGuests = withGuests;
    std::vector<RowAudio> rows = renderRows(session, store, options, progress);
    std::erase_if(rows,
                  [&](const RowAudio& one) { return findRow(session, one.row)->parent != bus; });
    return rows;
}

const Row& requireBus(const Session& session, const std::string& bus) {
    const Row* row = findRow(session, bus);
    if (row == nullptr || hasSources(row->kind))
        throw Error("“" + (row != nullptr ? row->name : bus) +
                    "” is no bus; choose a bus or the main.");
    return *row;
}

double samplePeakDb(const AudioBuffer& audio) {
    float peak = 0.0F;
    for (const auto& side : audio.channels) {
        for (const float x : side) peak = std::max(peak, std::abs(x));
    }
    return dbFromGain(static_cast<double>(peak));
}

double strokePeakDb(const AudioBuffer& audio, double from, std::span<const double> strokes,
                    double part) {
    constexpr double kAhead = 0.005, kWithin = 0.03;  // seconds
    std::vector<double> peaks;
    for (const double at : strokes) {
        const auto frame = [&](double seconds) {
            return static_cast<std::size_t>(
                std::clamp(std::round((seconds - from) * audio.sampleRate), 0.0,
                           static_cast<double>(audio.frames())));
        };
        float peak = 0.0F;
        for (const auto& side : audio.channels) {
            for (std::size_t i = frame(at - kAhead); i < frame(at + kWithin); ++i)
                peak = std::max(peak, std::abs(side[i]));
        }
        peaks.push_back(dbFromGain(static_cast<double>(peak)));
    }
    return peaks.empty() ? kSilenceDb : quantile(std::move(peaks), part);
}

std::vector<float> sidesMixed(const AudioBuffer& audio) {
    std::vector<float> out(audio.frames());
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = 0.5F * (audio.channels[0][i] + audio.channels[1][i]);
    return out;
}

}  // namespace ember
