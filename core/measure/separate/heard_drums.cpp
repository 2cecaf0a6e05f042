#include "core/measure/separate/heard_drums.h"

#include "core/base/statistics.h"

#include <algorithm>
#include <numeric>

namespace ember {
namespace {

// Power in a band against what the channel's own drum reaches in all of them: what rises by less is
// silence (-80 dB), and where no more sounded before (-70 dB), a rise would be seen.
constexpr float kSilence = 1e-8F, kSeen = 1e-7F;
// A stroke tells something where a rise would be seen in so many bands.
constexpr double kTelling = 0.5;
// What grows by less beyond all that sounded shortly before is a tail that beats; so is what grows
// in a few bands only.
constexpr float kGrows = 4.0F;
constexpr double kFew = 0.125;
// A microphone is silent where so many other strokes tell nothing else, of so many that could. Some
// of its own drum are now and then taken for another's, or were not found beside it; but a
// microphone that hears others is silent at next to none.
constexpr std::size_t kLeastStrokes = 6;
constexpr double kMostly = 0.75, kSome = 0.1;
// Windows around a stroke in which another one would be mixed up with it; before it, in which what
// sounds already is looked for; and after it, in which it rises.
constexpr std::int64_t kAlone = 7, kBefore = 5, kRise = 6;

enum class Told { nothing, silent, silentAtSome, heard };

struct Listened {
    const PowerMap& powers;
    int channel;

    // The most that its strokes reach over all bands.
    [[nodiscard]] float reached(std::int64_t hit) const {
        float out = 0.0F;
        for (std::int64_t w = hit; w < std::min(hit + kRise, powers.windows); ++w) {
            const float* from = powers.at(channel, w);
            out = std::max(out, std::accumulate(from, from + powers.bands, 0.0F));
        }
        return out;
    }
    [[nodiscard]] float loudest(std::int64_t from, std::int64_t to, int band) const {
        float out = 0.0F;
        for (std::int64_t w = from; w < to; ++w) out = std::max(out, powers.at(channel, w)[band]);
        return out;
    }
    // What a stroke that no other is near tells, against the power its own drum reaches.
    [[nodiscard]] Told at(std::int64_t hit, float own) const {
        if (hit < kBefore || hit + kRise > powers.windows) return Told::nothing;
        int telling = 0, rising = 0;
        for (int b = 0; b < powers.bands; ++b) {
            const float was = loudest(hit - kBefore, hit, b), is = loudest(hit + 1, hit + kRise, b);
            rising += is > kGrows * was + kSilence * own ? 1 : 0;
            telling += was < kSeen * own ? 1 : 0;
        }
        if (rising > kFew * powers.bands) return Told::heard;
        return telling >= kTelling * powers.bands ? Told::silent : Told::nothing;
    }
};

Told channelHears(const PowerMap& powers, const BleedModel& frame, const std::vector<bool>& own,
                  std::size_t channel) {
    const Listened listened{powers, static_cast<int>(channel)};
    const auto standsAt = [&](const BleedModel::Hit& hit) {
        return own[static_cast<std::size_t>(hit.drum) * frame.channels.size() + channel];
    };
    std::vector<std::int64_t> struck;
    std::vector<double> reached;
    for (const BleedModel::Hit& hit : frame.hits) {
        if (!standsAt(hit) || hit.window < 0) continue;
        struck.push_back(hit.window);
        reached.push_back(static_cast<double>(listened.reached(hit.window)));
    }
    if (struck.empty()) return Told::nothing;
    std::sort(struck.begin(), struck.end());
    const auto usual = static_cast<float>(median(reached));
    std::size_t silent = 0, heard = 0;
    for (const BleedModel::Hit& hit : frame.hits) {
        if (standsAt(hit)) continue;
        const auto next = std::lower_bound(struck.begin(), struck.end(), hit.window - kAlone);
        if (next != struck.end() && *next <= hit.window + kAlone) continue;
        const Told told = listened.at(hit.window, usual);
        silent += told == Told::silent ? 1U : 0U;
        heard += told == Told::heard ? 1U : 0U;
    }
    const auto all = static_cast<double>(silent + heard), quiet = static_cast<double>(silent);
    if (silent + heard < kLeastStrokes) return Told::nothing;
    if (quiet >= kMostly * all) return Told::silent;
    return quiet >= kSome * all ? Told::silentAtSome : Told::heard;
}

}  // namespace

std::vector<bool> heardDrums(const PowerMap& powers, const BleedModel& frame,
                             const std::vector<bool>& own) {
    const std::size_t channels = frame.channels.size();
    std::vector<Told> told;
    std::size_t close = 0, silent = 0, heard = 0;
    for (std::size_t c = 0; c < channels; ++c) {
        bool stands = false;
        for (std::size_t i = c; i < own.size(); i += channels) stands = stands || own[i];
        // What stands at no drum hears all of them.
        told.push_back(stands ? channelHears(powers, frame, own, c) : Told::heard);
        close += stands ? 1U : 0U;
        silent += told.back() == Told::silent ? 1U : 0U;
        heard += stands && told.back() == Told::heard ? 1U : 0U;
    }
    const bool most = 2 * silent > close, allThatTell = silent > 0 && heard == 0;
    std::vector<bool> out(own.size(), true);
    for (std::size_t c = 0; c < channels; ++c) {
        const bool alone = told[c] == Told::silent || (told[c] == Told::silentAtSome && most) ||
                           (told[c] == Told::nothing && (most || allThatTell));
        for (std::size_t i = c; alone && i < out.size(); i += channels) out[i] = own[i];
    }
    return out;
}

}  // namespace ember
