// Fits the weights of core/measure/who/who.h on kits of both worlds that no test judges, and prints
// core/measure/who/who_weights.h. Not part of any test: run it when the traits change
// (ember-fit-who > core/measure/who/who_weights.h).

#include "core/base/random.h"
#include "core/measure/who/who.h"
#include "tests/support/worlds.h"

#include <cmath>
#include <cstdio>
#include <vector>

namespace {

using namespace ember;

struct Example {
    Traits x{};
    std::size_t role = 0;
};

std::size_t placeOf(Role role) {
    for (std::size_t r = 0; r < kSoundRoles.size(); ++r) {
        if (kSoundRoles[r] == role) return r;
    }
    return kSoundRoles.size();
}

// One kit with some microphones left out and some pairs taken apart, as people deliver them.
void collect(const KitMics& kit, Random& random, bool all, std::vector<Example>& out) {
    std::vector<Candidate> candidates;
    std::vector<std::size_t> roles;
    for (const MicSignal& mic : kit.mics) {
        const std::size_t role = placeOf(mic.role);
        if (role == kSoundRoles.size() || (!all && random.uniform() < 0.3)) continue;
        Candidate c;
        c.offset = mic.offset;
        const bool apart = mic.channels.size() == 2 && random.uniform() < 0.3;
        for (const auto& channel : mic.channels) {
            c.channels.push_back(channel);
            if (!apart) continue;
            candidates.push_back(c);
            roles.push_back(role);
            c.channels.clear();
        }
        if (apart) continue;
        candidates.push_back(std::move(c));
        roles.push_back(role);
    }
    const KitTraits traits = kitTraits(candidates, kit.sampleRate);
    for (std::size_t i = 0; i < candidates.size(); ++i) {
        if (traits.heard[i]) out.push_back({traits.traits[i], roles[i]});
    }
}

constexpr std::size_t kRoles = kSoundRoles.size();
using Weights = std::array<std::array<double, kTraits + 1>, kRoles>;

// Gradient descent with momentum on the ridge-regularised log-likelihood.
Weights fit(const std::vector<Example>& examples, const Traits& mean, const Traits& scale) {
    Weights w{}, speed{};
    constexpr double kRidge = 0.003, kRate = 0.5, kMomentum = 0.9;
    const auto n = static_cast<double>(examples.size());
    std::vector<Traits> x;
    for (const Example& e : examples) {
        Traits z{};
        for (std::size_t t = 0; t < kTraits; ++t)
            z[t] = scale[t] > 0.0 ? std::clamp((e.x[t] - mean[t]) / scale[t], -4.0, 4.0) : 0.0;
        x.push_back(z);
    }
    for (int round = 0; round < 3000; ++round) {
        Weights g{};
        for (std::size_t i = 0; i < x.size(); ++i) {
            std::array<double, kRoles> p{};
            double most = -1e300, sum = 0.0;
            for (std::size_t r = 0; r < kRoles; ++r) {
                p[r] = w[r][kTraits];
                for (std::size_t t = 0; t < kTraits; ++t) p[r] += w[r][t] * x[i][t];
                most = std::max(most, p[r]);
            }
            for (double& v : p) sum += v = std::exp(v - most);
            for (std::size_t r = 0; r < kRoles; ++r) {
                const double d = p[r] / sum - (examples[i].role == r ? 1.0 : 0.0);
                for (std::size_t t = 0; t < kTraits; ++t) g[r][t] += d * x[i][t] / n;
                g[r][kTraits] += d / n;
            }
        }
        for (std::size_t r = 0; r < kRoles; ++r) {
            for (std::size_t t = 0; t <= kTraits; ++t) {
                const double slope = g[r][t] + (t < kTraits ? kRidge * w[r][t] : 0.0);
                speed[r][t] = kMomentum * speed[r][t] - kRate * slope;
                w[r][t] += speed[r][t];
            }
        }
    }
    return w;
}

void print(const char* name, const Traits& values) {
    std::printf("inline constexpr std::array<double, kTraits> %s{", name);
    for (std::size_t t = 0; t < kTraits; ++t) std::printf("%s%.4f", t == 0 ? "" : ", ", values[t]);
    std::printf("};\n");
}

}  // namespace

int main() {
    std::vector<Example> examples;
    Random random(4711);
    for (int n = 0; n < 14; ++n) {
        for (const auto world : {test::World::simulated, test::World::recorded}) {
            for (const auto mics :
                 {demo::MicSet::full, demo::MicSet::reduced, demo::MicSet::stereo}) {
                if (mics != demo::MicSet::full && n % 3 != 0) continue;
                const auto kit = test::worldKit(world, test::Half::fitted, n, mics, 40.0);
                collect(kit->kit(), random, true, examples);
                if (mics == demo::MicSet::full) {
                    collect(kit->kit(), random, false, examples);
                    collect(kit->kit(), random, false, examples);
                }
            }
        }
        std::fprintf(stderr, "%d: %zu\n", n, examples.size());
    }
    Traits mean{}, scale{};
    const auto n = static_cast<double>(examples.size());
    for (const Example& e : examples) {
        for (std::size_t t = 0; t < kTraits; ++t) mean[t] += e.x[t] / n;
    }
    for (const Example& e : examples) {
        for (std::size_t t = 0; t < kTraits; ++t)
            scale[t] += (e.x[t] - mean[t]) * (e.x[t] - mean[t]) / n;
    }
    for (double& s : scale) s = std::sqrt(s);
    const Weights w = fit(examples, mean, scale);
    std::printf(
        "// Printed by ember-fit-who; see core/measure/who/who.h. Rows: kSoundRoles; the last "
        "column "
        "is "
        "the bias.\n#pragma once\n\n#include \"core/measure/who/who.h\"\n\nnamespace ember {\n\n");
    print("kTraitMean", mean);
    print("kTraitScale", scale);
    std::printf(
        "inline constexpr std::array<std::array<double, kTraits + 1>, kSoundRoles.size()> "
        "kWhoWeights{{\n");
    for (std::size_t r = 0; r < kRoles; ++r) {
        std::printf("    {");
        for (std::size_t t = 0; t <= kTraits; ++t)
            std::printf("%s%.4f", t == 0 ? "" : ", ", w[r][t]);
        std::printf("},\n");
    }
    std::printf("}};\n\n}  // namespace ember\n");
}
