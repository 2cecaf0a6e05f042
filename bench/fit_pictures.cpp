// Learns what drums look like over the kit, before anything is known of a recording, from kits of
// both worlds that no test judges, and prints core/measure/guess_pictures.h
// (ember-fit-pictures > core/measure/guess_pictures.h).
//
// Clusters by k-means (Lloyd, IEEE Trans. Information Theory 28(2), 1982) of square roots, in which
// the strong bands do not drown the weak ones.

#include "core/base/random.h"
#include "core/measure/scene.h"
#include "tests/support/worlds.h"

#include <array>
#include <cmath>
#include <cstdio>
#include <map>
#include <vector>

namespace {

using namespace ember;

constexpr std::size_t kBands = kRiseEdges.size() - 1;
using Shape = std::array<double, 2 * kBands>;  // at once, then later

void collect(const test::TruthKit& truth, std::map<DrumFamily, std::vector<Shape>>& all) {
    const KitEvents events = findEvents(truth.kit());
    const Scene scene = makeScene(truth.kit(), events);
    for (std::size_t e = 0; e < events.events.size(); ++e) {
        const double at =
            static_cast<double>(events.events[e].frame) / truth.kit().sampleRate;
        const KitDrum* only = nullptr;
        bool several = false;
        for (const KitDrum& d : truth.kit().drums) {
            if (!truth.struckNear(d, at)) continue;
            several = several || only != nullptr;
            only = &d;
        }
        if (only == nullptr || several) continue;
        Shape shape{};
        std::array<int, 2 * kBands> channels{};
        bool complete = true;
        for (std::size_t b = 0; b < events.bands.size(); ++b) {
            const RiseBand& band = events.bands[b];
            if (!hearsAll(truth.kit().mics[static_cast<std::size_t>(band.mic)].role)) continue;
            std::size_t place = 0;
            while (kRiseEdges[place] < band.low) ++place;
            place += band.late ? kBands : 0;
            const auto v = static_cast<double>(scene.x[e][b]);
            complete = complete && v >= 0.0;
            shape[place] += std::max(0.0, v);
            ++channels[place];
        }
        double sum = 0.0;
        for (std::size_t i = 0; i < shape.size(); ++i) {
            if (channels[i] > 0) shape[i] /= channels[i];
            sum += shape[i];
        }
        if (!complete || sum < 0.3) continue;  // too soft to be a picture of anything
        for (double& v : shape) v = std::sqrt(v / sum);
        all[only->family].push_back(shape);
    }
}

double distance(const Shape& a, const Shape& b) {
    double sum = 0.0;
    for (std::size_t i = 0; i < a.size(); ++i) sum += (a[i] - b[i]) * (a[i] - b[i]);
    return sum;
}

std::vector<Shape> clusters(const std::vector<Shape>& shapes, std::size_t count) {
    Random random(99);
    std::vector<Shape> centres{shapes[static_cast<std::size_t>(random.uniform() *
                                                               static_cast<double>(shapes.size()))]};
    while (centres.size() < count) {  // the farthest from what is there
        std::size_t best = 0;
        double most = -1.0;
        for (int draw = 0; draw < 60; ++draw) {
            const auto i = static_cast<std::size_t>(random.uniform() *
                                                    static_cast<double>(shapes.size()));
            double nearest = 1e9;
            for (const Shape& c : centres) nearest = std::min(nearest, distance(shapes[i], c));
            if (nearest > most) {
                most = nearest;
                best = i;
            }
        }
        centres.push_back(shapes[best]);
    }
    for (int round = 0; round < 60; ++round) {
        std::vector<Shape> sums(count);
        std::vector<double> weights(count, 0.0);
        for (const Shape& s : shapes) {
            std::size_t best = 0;
            for (std::size_t c = 1; c < count; ++c) {
                if (distance(s, centres[c]) < distance(s, centres[best])) best = c;
            }
            for (std::size_t i = 0; i < s.size(); ++i) sums[best][i] += s[i];
            weights[best] += 1.0;
        }
        for (std::size_t c = 0; c < count; ++c) {
            for (std::size_t i = 0; i < centres[c].size() && weights[c] > 0.0; ++i)
                centres[c][i] = sums[c][i] / weights[c];
        }
    }
    return centres;
}

}  // namespace

int main() {
    std::map<DrumFamily, std::vector<Shape>> all;
    for (int n = 0; n < 9; ++n) {
        for (const auto world : {test::World::simulated, test::World::recorded}) {
            for (const auto mics :
                 {demo::MicSet::full, demo::MicSet::reduced, demo::MicSet::stereo})
                collect(*test::worldKit(world, test::Half::fitted, n, mics, 40.0), all);
        }
        std::fprintf(stderr, "%d\n", n);
    }
    std::printf(
        "// Printed by ember-fit-pictures; see core/measure/guess.h. Square roots of shares by "
        "band, at once and\n// 45 ms later.\n#pragma once\n\n#include "
        "\"core/measure/events.h\"\n\nnamespace ember {\n\nstruct GuessPicture {\n    DrumFamily "
        "family;\n    std::array<double, kRiseEdges.size() - 1> at, later;\n};\n");
    const std::map<DrumFamily, std::pair<const char*, std::size_t>> wanted{
        {DrumFamily::kick, {"kick", 2}},
        {DrumFamily::snare, {"snare", 3}},
        {DrumFamily::hat, {"hat", 4}},
        {DrumFamily::tom, {"tom", 3}},
        {DrumFamily::cymbal, {"cymbal", 5}}};
    std::size_t count = 0;
    for (const auto& [family, want] : wanted) count += want.second;
    std::printf("inline constexpr std::array<GuessPicture, %zu> kGuessPictures{{\n", count);
    for (const auto& [family, want] : wanted) {
        for (const Shape& s : clusters(all[family], want.second)) {
            std::printf("    {DrumFamily::%s,\n     {", want.first);
            for (std::size_t i = 0; i < s.size(); ++i) {
                if (i == kBands) std::printf("},\n     {");
                std::printf("%s%.3f", i % kBands == 0 ? "" : ", ", s[i]);
            }
            std::printf("}},\n");
        }
    }
    std::printf("}};\n\n}  // namespace ember\n");
}
