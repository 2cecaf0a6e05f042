#include "core/measure/song/song_bars.h"

#include "core/base/fft.h"
#include "core/base/statistics.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstddef>
#include <memory>
#include <numbers>

namespace ember {
namespace {

constexpr double kBarWindow = 0.085;  // seconds; half of it from one to the next
struct HeardRange {
    double low, high;  // Hz
};
constexpr HeardRange kTones{80.0, 4000.0}, kBass{35.0, 160.0};
constexpr int kAlongFrames = 9, kAcrossBins = 31;  // frames and bins of the medians
// A bar in which less than this holds on, or whose strokes lie this far over what is between them,
// is bare whatever the others are; else by how unlike the song's usual bar it is (octaves).
constexpr double kLittleHolds = 0.30, kFarBetweenDb = 18.0, kUnlikeUsual = 0.95, kGapsDb = 13.0;
// Of the bottom: what a song of kicks alone holds on to at most, and from where on it is a bass.
constexpr double kKickHolds = 0.5, kBassHolds = 0.7;
constexpr double kTogether = 0.03;    // seconds: struck at once
constexpr double kStrokeRead = 0.06;  // seconds of a stroke, and before it
constexpr std::size_t kFewestRead = 4;

struct DrumBand {
    const char* drum;
    double low, high;  // Hz
};
constexpr std::array<DrumBand, 3> kDrumBands{
    {{"kick", 40.0, 160.0}, {"snare", 160.0, 4000.0}, {"hihat", 7000.0, 16000.0}}};

// Windows of both sides together.
class Frames2 {
  public:
    Frames2(std::span<const std::span<const float>> channels, double rate, double seconds)
        : channels_(channels) {
        int length = 128;
        while (length < static_cast<int>(seconds * rate)) length *= 2;
        fft_ = std::make_unique<RealFft>(length);
        window_.resize(static_cast<std::size_t>(length));
        for (std::size_t i = 0; i < window_.size(); ++i)
            window_[i] =
                static_cast<float>(0.5 - 0.5 * std::cos(2.0 * std::numbers::pi *
                                                        (static_cast<double>(i) + 0.5) / length));
    }
    [[nodiscard]] int length() const { return fft_->length(); }
    // The spectrum of a window that begins at a sample, silence beyond both ends.
    std::span<const std::complex<float>> at(std::ptrdiff_t first) {
        const auto time = fft_->time();
        for (std::size_t i = 0; i < window_.size(); ++i) {
            const std::ptrdiff_t k = first + static_cast<std::ptrdiff_t>(i);
            float sum = 0.0F;
            if (k >= 0 && k < std::ssize(channels_[0])) {
                for (const auto& side : channels_) sum += side[static_cast<std::size_t>(k)];
            }
            time[i] = window_[i] * sum / static_cast<float>(channels_.size());
        }
        return fft_->forward();
    }

  private:
    std::span<const std::span<const float>> channels_;
    std::unique_ptr<RealFft> fft_;
    std::vector<float> window_;
};

float middleOf(std::vector<float>& values) {
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

// By frame: how much energy there is, and how much of it holds on.
struct Holding {
    double hop = 0.0;  // seconds
    std::vector<double> all, tones;
};
Holding holdingOf(std::span<const std::span<const float>> channels, double rate, HeardRange range,
                  const Progress& progress) {
    Frames2 frames(channels, rate, kBarWindow);
    const auto hop = static_cast<std::size_t>(frames.length() / 2);
    const double wide = rate / frames.length();
    const auto low = static_cast<std::size_t>(range.low / wide),
               high = std::min(static_cast<std::size_t>(range.high / wide),
                               static_cast<std::size_t>(frames.length() / 2));
    const std::size_t count = channels[0].size() / hop + 1, bins = high - low;
    std::vector<std::vector<float>> levels(count, std::vector<float>(bins));
    for (std::size_t n = 0; n < count; ++n) {
        const auto spectrum = frames.at(static_cast<std::ptrdiff_t>(n * hop) - frames.length() / 2);
        for (std::size_t b = 0; b < bins; ++b) levels[n][b] = std::abs(spectrum[low + b]);
    }
    Holding out;
    out.hop = static_cast<double>(hop) / rate;
    out.all.resize(count);
    out.tones.resize(count);
    std::vector<float> around;
    for (std::size_t n = 0; n < count; ++n) {
        if (n % 64 == 0)
            report(progress, static_cast<double>(n) / static_cast<double>(count),
                   "Looking for bare drums");
        for (std::size_t b = 0; b < bins; ++b) {
            around.clear();
            for (std::size_t k = n < kAlongFrames / 2 ? 0 : n - kAlongFrames / 2;
                 k <= std::min(count - 1, n + kAlongFrames / 2); ++k)
                around.push_back(levels[k][b]);
            const float along = middleOf(around);
            around.clear();
            for (std::size_t k = b < kAcrossBins / 2 ? 0 : b - kAcrossBins / 2;
                 k <= std::min(bins - 1, b + kAcrossBins / 2); ++k)
                around.push_back(levels[n][k]);
            const float across = middleOf(around);
            const double power =
                             static_cast<double>(levels[n][b]) * static_cast<double>(levels[n][b]),
                         a = static_cast<double>(along) * static_cast<double>(along),
                         c = static_cast<double>(across) * static_cast<double>(across);
            out.all[n] += power;
            out.tones[n] += power * a / (a + c + 1e-20);
        }
    }
    return out;
}

}  // namespace

std::vector<BareBars> bareBars(std::span<const std::span<const float>> channels, double sampleRate,
                               const std::vector<double>& barLines,
                               const std::vector<Stroke>& strokes, const Progress& progress) {
    std::vector<BareBars> out;
    if (channels.empty() || channels[0].empty() || barLines.size() < 2) return out;
    const Holding holding = holdingOf(channels, sampleRate, kTones, within(progress, 0.0, 0.9)),
                  bass = holdingOf(channels, sampleRate, kBass, within(progress, 0.9, 1.0));
    struct Bar {
        std::size_t line = 0;
        double share = 1.0, spreadDb = 0.0;  // what holds on; strokes over what lies between them
        double bassShare = 1.0;              // what holds on at the bottom
    };
    std::vector<Bar> bars;
    std::vector<double> shares, spreads, bottoms;
    for (std::size_t bar = 0; bar + 1 < barLines.size(); ++bar) {
        const double from = barLines[bar], to = barLines[bar + 1];
        const auto struck = std::count_if(strokes.begin(), strokes.end(), [&](const Stroke& s) {
            return s.time >= from - 0.02 && s.time < to - 0.02;
        });
        double all = 0.0, tones = 0.0, low = 0.0, notes = 0.0;
        std::vector<double> levels;
        for (std::size_t n = 0; n < holding.all.size(); ++n) {
            const double at = static_cast<double>(n) * holding.hop;
            // What was sounding before may ring into the first beat.
            if (at < from + 0.08 * (to - from) || at >= to - holding.hop) continue;
            all += holding.all[n];
            tones += holding.tones[n];
            low += bass.all[n];
            notes += bass.tones[n];
            levels.push_back(10.0 * std::log10(holding.all[n] + 1e-12));
        }
        if (all <= 0.0 || struck < 2) continue;
        bars.push_back({bar, tones / all, quantile(levels, 0.9) - quantile(levels, 0.2),
                        notes / std::max(low, 1e-12)});
        bottoms.push_back(bars.back().bassShare);
        shares.push_back(bars.back().share);
        spreads.push_back(bars.back().spreadDb);
    }
    const double usualShare = median(shares), usualSpread = median(spreads);
    const double usualBottom = median(bottoms);
    // Music fills what lies between strokes; where the usual bar has gaps, and no notes at its
    // bottom, there is none.
    const bool throughout = usualSpread > kGapsDb && usualBottom < kKickHolds;
    for (const Bar& bar : bars) {
        // How far it lies from the song's usual bar; a song that is bare throughout has no other.
        const double unlike = std::log2(std::max(bar.spreadDb, 0.1) / std::max(usualSpread, 0.1)) +
                              2.0 * std::log2(usualShare / std::max(bar.share, 0.01));
        const bool plainly = throughout || bar.share < kLittleHolds || bar.spreadDb > kFarBetweenDb;
        // A kick may boom, but not as the song's bass does.
        const bool bassPlays = bar.bassShare > kBassHolds && bar.bassShare > 0.9 * usualBottom;
        if (bassPlays || (unlike < kUnlikeUsual && !plainly)) continue;
        const double sure =
                         std::clamp(0.5 + 0.5 * (unlike - kUnlikeUsual), plainly ? 0.75 : 0.5, 1.0),
                     from = barLines[bar.line], to = barLines[bar.line + 1];
        if (!out.empty() && out.back().to == from) {
            out.back().to = to;
            out.back().sure = std::min(out.back().sure, sure);
            ++out.back().bars;
            continue;
        }
        out.push_back({from, to, 1, sure});
    }
    std::stable_sort(out.begin(), out.end(),
                     [](const BareBars& a, const BareBars& b) { return a.bars > b.bars; });
    return out;
}

namespace {

// Whether a kick or a snare is struck at the same moment, which would be read in its place; hats
// are struck with everything and cover nothing.
bool isCovered(const Stroke& stroke, const std::vector<Stroke>& strokes) {
    return std::any_of(strokes.begin(), strokes.end(), [&](const Stroke& other) {
        return other.drum != stroke.drum && other.drum != "hihat" &&
               std::abs(other.time - stroke.time) < kTogether;
    });
}

// What strokes of a drum add, dB; nothing where nothing is added.
class DrumReader {
  public:
    DrumReader(std::span<const std::span<const float>> channels, double rate)
        : frames_(channels, rate, kStrokeRead), rate_(rate) {}
    std::optional<double> adds(double time, const DrumBand& band) {
        const auto at = static_cast<std::ptrdiff_t>(std::lround(time * rate_));
        const double before = power(at - frames_.length(), band),
                     now = power(at - frames_.length() / 8, band);
        if (now <= before) return std::nullopt;
        return 10.0 * std::log10(now - before + 1e-12);
    }

  private:
    double power(std::ptrdiff_t first, const DrumBand& band) {
        const auto spectrum = frames_.at(first);
        const double wide = rate_ / frames_.length();
        double sum = 0.0;
        for (std::size_t k = 0; k < spectrum.size(); ++k) {
            const double hertz = static_cast<double>(k) * wide;
            if (hertz >= band.low && hertz < band.high)
                sum += static_cast<double>(std::norm(spectrum[k]));
        }
        return sum;
    }
    Frames2 frames_;
    double rate_;
};

}  // namespace

std::optional<double> strokeAddsDb(std::span<const std::span<const float>> channels,
                                   double sampleRate, double time, std::string_view drum) {
    if (channels.empty() || channels[0].empty()) return std::nullopt;
    for (const DrumBand& band : kDrumBands) {
        if (drum == band.drum) return DrumReader(channels, sampleRate).adds(time, band);
    }
    return std::nullopt;
}

std::vector<DrumStands> drumsStand(std::span<const std::span<const float>> channels,
                                   double sampleRate, const std::vector<Stroke>& strokes) {
    std::vector<DrumStands> out;
    if (channels.empty() || channels[0].empty()) return out;
    DrumReader reader(channels, sampleRate);
    for (const DrumBand& band : kDrumBands) {
        std::vector<double> adds;
        for (const Stroke& s : strokes) {
            const bool soft = s.kind == StrokeKind::ghost || s.kind == StrokeKind::flam;
            if (s.drum != band.drum || soft || isCovered(s, strokes)) continue;
            if (const auto db = reader.adds(s.time, band)) adds.push_back(*db);
        }
        if (adds.size() < kFewestRead) continue;
        out.push_back({band.drum, static_cast<int>(adds.size()), median(adds)});
    }
    double mean = 0.0;
    for (const DrumStands& d : out) mean += d.db / static_cast<double>(out.size());
    for (DrumStands& d : out) d.db -= mean;
    return out;
}

}  // namespace ember
