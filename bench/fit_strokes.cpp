// Fits the weights of core/measure/strokes/verdict.h on kits of both worlds that no test judges,
// and prints core/measure/strokes/stroke_weights.h. Not part of any test: run it when the evidence
// changes (ember-fit-strokes > core/measure/strokes/stroke_weights.h). With `again` it fits and
// prints those of the second look alone, which rest on the others.

#include "core/measure/separate/needed.h"
#include "core/measure/strokes/supposed.h"
#include "tests/support/worlds.h"

#include <array>
#include <cmath>
#include <cstdio>
#include <map>
#include <string_view>

namespace {

using namespace ember;

struct Examples {
    std::vector<std::vector<double>> x;
    std::vector<double> y;
};

// Newton's method with a ridge (Hoerl & Kennard, Technometrics 12(1), 1970).
std::vector<double> fit(const Examples& examples) {
    const std::size_t n = examples.x.front().size();
    std::vector<double> w(n, 0.0);
    for (int round = 0; round < 15; ++round) {
        std::vector<std::vector<double>> a(n, std::vector<double>(n + 1, 0.0));
        for (std::size_t i = 0; i < n; ++i) {
            a[i][i] = 0.5;
            a[i][n] = -0.5 * w[i];
        }
        for (std::size_t k = 0; k < examples.x.size(); ++k) {
            const auto& x = examples.x[k];
            double z = 0.0;
            for (std::size_t i = 0; i < n; ++i) z += w[i] * x[i];
            const double p = 1.0 / (1.0 + std::exp(-std::clamp(z, -30.0, 30.0)));
            const double q = std::max(p * (1.0 - p), 1e-6);
            for (std::size_t i = 0; i < n; ++i) {
                a[i][n] += (examples.y[k] - p) * x[i];
                for (std::size_t j = 0; j < n; ++j) a[i][j] += q * x[i] * x[j];
            }
        }
        // Gauss-Jordan with pivots.
        for (std::size_t i = 0; i < n; ++i) {
            std::size_t pivot = i;
            for (std::size_t r = i; r < n; ++r) {
                if (std::abs(a[r][i]) > std::abs(a[pivot][i])) pivot = r;
            }
            std::swap(a[i], a[pivot]);
            for (std::size_t r = 0; r < n; ++r) {
                if (r == i) continue;
                const double f = a[r][i] / a[i][i];
                for (std::size_t j = i; j <= n; ++j) a[r][j] -= f * a[i][j];
            }
        }
        for (std::size_t i = 0; i < n; ++i) w[i] += a[i][n] / a[i][i];
    }
    return w;
}

using Key = std::pair<Heard, DrumFamily>;

void collect(test::World world, demo::MicSet mics, int number, std::map<Key, Examples>& all) {
    const auto kit = test::worldKit(world, test::Half::fitted, number, mics);
    const test::TruthKit& truth = *kit;
    const KitEvents events = findEvents(truth.kit());
    for (const Share& s : attribute(truth.kit(), events)) {
        const KitDrum& drum = truth.kit().drums[static_cast<std::size_t>(s.drum)];
        const Heard heard = heardHow(truth.kit(), s.drum);
        auto x = strokeFeatures(s, drum.family, heard);
        if (x.empty()) continue;
        const double at =
            static_cast<double>(events.events[static_cast<std::size_t>(s.event)].frame) /
            truth.kit().sampleRate;
        Examples& e = all[{heard, drum.family}];
        e.x.push_back(std::move(x));
        e.y.push_back(truth.struckNear(drum, at) ? 1.0 : 0.0);
    }
}

void collectAgain(test::World world, int number, std::map<Key, Examples>& all) {
    const auto truth = test::worldKit(world, test::Half::fitted, number, demo::MicSet::full);
    const KitMics& kit = truth->kit();
    const KitEvents events = findEvents(kit);
    const std::vector<Supposed> supposed = supposeStrokes(kit, events, attribute(kit, events));
    std::vector<SupposedStroke> strokes;
    for (const Supposed& s : supposed)
        strokes.push_back({kit.drums[static_cast<std::size_t>(s.share.drum)].id, s.seconds});
    const LearntKit learnt(kit, kitFrame(kit, likelyStrokes(kit, supposed)), {});
    const std::vector<double> needed = neededStrokes(learnt, strokes);
    for (std::size_t i = 0; i < supposed.size(); ++i) {
        const KitDrum& drum = kit.drums[static_cast<std::size_t>(supposed[i].share.drum)];
        if (needed[i] < 0.0 || !isLookedAtAgain(drum.family)) continue;
        Examples& e = all[{Heard::close, drum.family}];
        e.x.push_back(secondFeatures(supposed[i].logOdds, needed[i]));
        e.y.push_back(truth->struckNear(drum, supposed[i].seconds) ? 1.0 : 0.0);
    }
}

void print(const char* name, int width, Heard heard, std::map<Key, Examples>& all) {
    std::printf("inline constexpr std::array<std::array<double, %d>, 5> %s{{\n", width, name);
    for (const auto family : {DrumFamily::kick, DrumFamily::snare, DrumFamily::hat, DrumFamily::tom,
                              DrumFamily::cymbal}) {
        const auto found = all.find({heard, family});
        std::printf("    {");
        const auto w = found == all.end()
                           ? std::vector<double>(static_cast<std::size_t>(width), 0.0)
                           : fit(found->second);
        for (std::size_t i = 0; i < w.size(); ++i) std::printf("%s%.3f", i == 0 ? "" : ", ", w[i]);
        std::printf("},\n");
    }
    std::printf("}};\n");
}

}  // namespace

int main(int argc, char** argv) {
    std::map<Key, Examples> all;
    if (argc > 1 && std::string_view(argv[1]) == "again") {
        for (int number = 0; number < 10; ++number) {
            for (const auto world : {test::World::simulated, test::World::recorded})
                collectAgain(world, number, all);
            std::fprintf(stderr, "%d\n", number);
        }
        print("kSecondWeights", 3, Heard::close, all);
        return 0;
    }
    for (int number = 0; number < 10; ++number) {
        for (const auto world : {test::World::simulated, test::World::recorded}) {
            for (const auto mics :
                 {demo::MicSet::full, demo::MicSet::reduced, demo::MicSet::stereo})
                collect(world, mics, number, all);
        }
        std::fprintf(stderr, "%d\n", number);
    }
    std::printf(
        "// Printed by ember-fit-strokes; see core/measure/strokes/verdict.h. Rows: kick, snare, "
        "hat, tom, "
        "cymbal.\n#pragma once\n\n#include <array>\n\nnamespace ember {\n\n");
    print("kCloseWeights", 15, Heard::close, all);
    print("kBesideWeights", 14, Heard::beside, all);
    print("kRestWeights", 14, Heard::rest, all);
    print("kWholeWeights", 14, Heard::whole, all);
    std::printf("\n}  // namespace ember\n");
}
