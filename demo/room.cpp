#include "demo/room.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember::demo {
namespace {

// Level and treble of one arrival.
struct Arrival {
    std::size_t delay = 0;
    float gain = 0.0F;
    double cutoff = 20000.0;  // Hz
};

Arrival arrivalOf(const Point& from, const Microphone& mic, double loss, const PathOptions& o,
                  bool reflected) {
    const double d = std::max(0.05, distance(from, mic.place));
    const Point look{mic.aim.x - mic.place.x, mic.aim.y - mic.place.y, mic.aim.z - mic.place.z};
    const Point path{from.x - mic.place.x, from.y - mic.place.y, from.z - mic.place.z};
    const double norm = std::sqrt((look.x * look.x + look.y * look.y + look.z * look.z) *
                                  (path.x * path.x + path.y * path.y + path.z * path.z));
    const double cosine =
        norm > 0.0 ? (look.x * path.x + look.y * path.y + look.z * path.z) / norm : 1.0;
    const double pattern = (1.0 - 0.5 * mic.cardioid) + 0.5 * mic.cardioid * cosine;
    Arrival a;
    a.delay = static_cast<std::size_t>(std::llround(d / kSpeedOfSound * o.sampleRate));
    a.gain = static_cast<float>(o.polarity * loss * std::max(0.04, pattern) / d);
    // Off axis and behind shells the treble goes first; so it does in reflections and with
    // distance.
    a.cutoff = 20000.0 / (1.0 + 1.5 * (1.0 - cosine) * mic.cardioid + 4.0 * o.shade + 0.06 * d +
                          (reflected ? 2.2 : 0.0));
    return a;
}

// All arrivals in one pass: their one-pole filters run beside each other.
void addArrivals(std::vector<float>& out, const std::vector<float>& source,
                 const std::array<Arrival, 5>& arrivals, double rate) {
    std::array<float, 5> step{}, held{};
    std::size_t longest = 0;
    for (std::size_t n = 0; n < 5; ++n) {
        step[n] =
            static_cast<float>(1.0 - std::exp(-2.0 * std::numbers::pi *
                                              std::min(arrivals[n].cutoff, 0.45 * rate) / rate));
        longest = std::max(longest, arrivals[n].delay);
    }
    for (std::size_t i = 0; i + longest < out.size(); ++i) {
        for (std::size_t n = 0; n < 5; ++n) {
            held[n] += step[n] * (source[i] - held[n]);
            out[i + arrivals[n].delay] += arrivals[n].gain * held[n];
        }
    }
}

}  // namespace

double distance(const Point& a, const Point& b) {
    return std::sqrt((a.x - b.x) * (a.x - b.x) + (a.y - b.y) * (a.y - b.y) +
                     (a.z - b.z) * (a.z - b.z));
}

void addPath(std::vector<float>& out, const std::vector<float>& source, const Point& from,
             const Microphone& mic, const PathOptions& o) {
    const double halfX = 0.5 * o.room.x, halfY = 0.5 * o.room.y;
    const auto mirror = [&](double x, double y, double z) {
        return arrivalOf({x, y, z}, mic, o.wallLoss, o, true);
    };
    addArrivals(out, source,
                {{arrivalOf(from, mic, 1.0, o, false), mirror(from.x, from.y, -from.z),
                  mirror(from.x, from.y, 2.0 * o.room.z - from.z),
                  mirror(2.0 * (from.x > 0.0 ? halfX : -halfX) - from.x, from.y, from.z),
                  mirror(from.x, 2.0 * halfY - from.y, from.z)}},
                o.sampleRate);
}

std::array<std::vector<float>, 4> reverberate(const std::vector<float>& source, double rate,
                                              double t60) {
    constexpr std::array<double, 8> milliseconds{17.3, 19.9, 23.1, 27.7, 31.3, 35.9, 41.1, 46.7};
    std::array<std::vector<float>, 8> line;
    std::array<std::size_t, 8> at{};
    std::array<float, 8> gain{}, held{};
    for (std::size_t k = 0; k < 8; ++k) {
        line[k].assign(static_cast<std::size_t>(milliseconds[k] * 1e-3 * rate), 0.0F);
        gain[k] = static_cast<float>(std::pow(10.0, -3.0 * milliseconds[k] * 1e-3 / t60));
    }
    const auto damp = static_cast<float>(1.0 - std::exp(-2.0 * std::numbers::pi * 6500.0 / rate));
    std::array<std::vector<float>, 4> out;
    for (auto& o : out) o.assign(source.size(), 0.0F);
    for (std::size_t i = 0; i < source.size(); ++i) {
        float sum = 0.0F;
        for (std::size_t k = 0; k < 8; ++k) {
            held[k] += damp * (line[k][at[k]] - held[k]);
            sum += held[k];
        }
        for (std::size_t k = 0; k < 4; ++k) out[k][i] = held[k] - held[k + 4];
        for (std::size_t k = 0; k < 8; ++k) {
            // Householder feedback matrix: lossless mixing of all lines.
            line[k][at[k]] = 0.35F * source[i] + gain[k] * (held[k] - 0.25F * sum);
            if (++at[k] == line[k].size()) at[k] = 0;
        }
    }
    return out;
}

}  // namespace ember::demo
