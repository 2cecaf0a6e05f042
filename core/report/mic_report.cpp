#include "core/report/mic_report.h"

#include "core/advise/bus_heard.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/measure/kit/kit_mics.h"
#include "core/report/ear_bands.h"

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kHeardFor = 0.2;  // seconds of a stroke
constexpr double kMissedFromDb = 1.0;
constexpr double kTellingDb = 24.0;      // under a drum's loudest band: what makes its sound
constexpr double kApart = 0.08;          // seconds between strokes of two drums
constexpr std::size_t kFewestAlone = 3;  // strokes of a drum that count

using DrumTimes = std::map<std::string, std::vector<double>>;

// Bands of every drum's strokes in a mix.
std::map<std::string, std::vector<double>> bandsOf(const AudioBuffer& mix, const DrumTimes& times,
                                                   BandPowers& bands) {
    std::map<std::string, std::vector<double>> out;
    for (const auto& [drum, at] : times) {
        std::vector<double>& powers = out[drum] = bands.none();
        for (const double t : at) {
            const auto from = static_cast<std::size_t>(std::max(0.0, t * mix.sampleRate)),
                       count = static_cast<std::size_t>(kHeardFor * mix.sampleRate);
            for (const auto& side : mix.channels) {
                if (from + count <= side.size()) bands.add({side.data() + from, count}, powers);
            }
        }
    }
    return out;
}

}  // namespace

std::vector<MicWorth> microphonesMissed(const Session& session, AudioStore& store,
                                        const std::vector<Stroke>& strokes,
                                        const Progress& progress) {
    RenderOptions options;
    options.from = fullestFrom(strokes);
    options.to = options.from + kLongestHeard;
    std::vector<RowAudio> parts = renderParts(session, store, options, within(progress, 0.0, 0.7));
    DrumTimes times;
    for (const Stroke& s : strokes) {
        // What is struck together with another drum does not tell which of them changed.
        const bool alone = std::none_of(strokes.begin(), strokes.end(), [&](const Stroke& o) {
            return o.drum != s.drum && std::abs(o.time - s.time) < kApart;
        });
        if (alone && s.time >= options.from && s.time < options.to)
            times[s.drum].push_back(s.time - options.from);
    }
    std::erase_if(times, [](const auto& drum) { return drum.second.size() < kFewestAlone; });
    if (parts.empty()) return {};
    AudioBuffer mix{static_cast<double>(session.sampleRate),
                    {2, std::vector<float>(parts.front().audio.frames(), 0.0F)}};
    for (const RowAudio& part : parts) addTo(mix, part.audio);
    BandPowers bands(mix.sampleRate, earBandEdges());
    const auto with = bandsOf(mix, times, bands);
    const double loudness = loudnessOf(mix);
    std::vector<MicWorth> out;
    for (std::size_t p = 0; p < parts.size(); ++p) {
        report(progress, 0.7 + 0.3 * static_cast<double>(p) / static_cast<double>(parts.size()),
               "Closing every microphone in turn");
        const Row* row = findRow(session, parts[p].row);
        if (row == nullptr || row->kind != RowKind::element || !isMicrophone(row->role)) continue;
        AudioBuffer less = mix;
        addTo(less, parts[p].audio, -1.0);
        const double left = loudnessOf(less);
        const double match = loudness > kSilenceDb && left > kSilenceDb ? loudness - left : 0.0;
        MicWorth worth{row->id, {}, {}, false};
        const auto without = bandsOf(less, times, bands);
        for (const auto& [drum, powers] : without) {
            const std::vector<double> changes = bandChanges(powers, with.at(drum), kTellingDb);
            for (std::size_t b = 0; b < changes.size(); ++b) {
                const double db = changes[b] == 0.0 ? 0.0 : changes[b] + match;
                MicWorth::Change& change = db < 0.0 ? worth.loses : worth.gains;
                if (std::abs(db) > std::abs(change.db)) change = {drum, earBands()[b], db};
            }
        }
        worth.missed = worth.loses.db <= -kMissedFromDb || worth.gains.db >= kMissedFromDb;
        out.push_back(std::move(worth));
    }
    return out;
}

std::string worthSentence(const Session& session, const MicWorth& worth) {
    if (!worth.missed)
        return "Closed, it would not be missed: no drum changes by 1 dB in any band.";
    const auto told = [&](const MicWorth::Change& change, const char* does) {
        if (std::abs(change.db) < kMissedFromDb) return std::string();
        return drumName(session, change.drum) + does + numberText(std::abs(change.db), 1) +
               " dB at " + hertzText(change.hertz);
    };
    const std::string loses = told(worth.loses, " loses "), gains = told(worth.gains, " gains ");
    return "Without it " + loses + (!loses.empty() && !gains.empty() ? " and " : "") + gains + ".";
}

std::string micsJson(const std::vector<MicWorth>& mics) {
    nlohmann::ordered_json list = nlohmann::ordered_json::array();
    const auto change = [](const MicWorth::Change& c) -> nlohmann::ordered_json {
        if (c.drum.empty()) return nullptr;
        return {{"drum", c.drum}, {"hertz", c.hertz}, {"db", c.db}};
    };
    for (const MicWorth& m : mics)
        list.push_back({{"row", m.row},
                        {"missed", m.missed},
                        {"loses", change(m.loses)},
                        {"gains", change(m.gains)}});
    return list.dump(1, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
}

}  // namespace ember
