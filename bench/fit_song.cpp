// Fits the network of core/measure/song/song_strokes.h on made-up songs that no test judges, and
// prints core/measure/song/song_weights.h. Not part of any test: run it when what it looks at
// changes (ember-fit-song > core/measure/song/song_weights.h).

#include "core/base/random.h"
#include "core/measure/song/song_strokes.h"
#include "tests/support/made_up_song.h"

#include <cmath>
#include <cstdio>
#include <vector>

namespace {

using namespace ember;

constexpr int kSongsFitted = 48;  // of each world
constexpr int kRounds = 40;
constexpr double kNear = 0.02;  // seconds
constexpr std::size_t kBatch = 32;

struct Example {
    std::array<float, kSongInputs> x{};
    std::array<float, kSongDrums> y{};  // 1: struck, 0: not, -1: softly, so that either will do
};

void collect(test::World world, int number, std::vector<Example>& all) {
    static constexpr std::array<const char*, kSongDrums> kDrums{"kick", "snare", "hihat"};
    const test::MadeUpSong song = test::madeUpSong(world, test::Half::fitted, number, 40.0);
    const std::array<std::span<const float>, 2> channels{song.left, song.right};
    for (const SongMoment& m : songMoments(channels, song.rate)) {
        Example e;
        e.x = m.x;
        for (std::size_t d = 0; d < kSongDrums; ++d) {
            for (const Stroke& s : song.strokes) {
                if (s.drum != kDrums[d] || std::abs(s.time - m.time) > kNear) continue;
                const bool soft = s.kind == StrokeKind::ghost || s.kind == StrokeKind::flam;
                e.y[d] = soft && e.y[d] < 1.0F ? -1.0F : 1.0F;
            }
        }
        all.push_back(e);
    }
}

struct Network {
    std::array<std::array<double, kSongInputs + 1>, kSongHidden> inner{};
    std::array<std::array<double, kSongHidden + 1>, kSongDrums> outer{};
};

// Stochastic gradient descent with moments (Kingma & Ba, "Adam", ICLR 2015) on the cross entropy,
// with a weight decay; levels are shifted a little every time, for songs differ in them.
Network fit(std::vector<Example>& examples) {
    Random random(5);
    Network net, m, v, g;
    for (auto& row : net.inner) {
        for (double& w : row) w = random.normal() * 0.5 / std::sqrt(kSongInputs);
    }
    for (auto& row : net.outer) {
        for (double& w : row) w = random.normal() * 0.5 / std::sqrt(kSongHidden);
    }
    double b1 = 1.0, b2 = 1.0;
    for (int round = 0; round < kRounds; ++round) {
        for (std::size_t i = examples.size(); i > 1; --i)
            std::swap(examples[i - 1], examples[random.bits() % i]);
        const double rate = 0.002 * 0.5 * (1.0 + std::cos(3.14159 * round / kRounds));
        double loss = 0.0;
        for (std::size_t from = 0; from + kBatch <= examples.size(); from += kBatch) {
            g = Network{};
            for (std::size_t k = from; k < from + kBatch; ++k) {
                Example e = examples[k];
                const auto shift = static_cast<float>(0.15 * random.normal());
                for (std::size_t i = 0; i < kSongBands * kSongSteps; ++i)
                    e.x[i] += shift + static_cast<float>(0.08 * random.normal());
                std::array<double, kSongHidden> h{};
                for (std::size_t n = 0; n < kSongHidden; ++n) {
                    double sum = net.inner[n][kSongInputs];
                    for (std::size_t i = 0; i < kSongInputs; ++i)
                        sum += net.inner[n][i] * static_cast<double>(e.x[i]);
                    h[n] = std::tanh(sum);
                }
                std::array<double, kSongHidden> back{};
                for (std::size_t d = 0; d < kSongDrums; ++d) {
                    if (e.y[d] < 0.0F) continue;
                    double sum = net.outer[d][kSongHidden];
                    for (std::size_t n = 0; n < kSongHidden; ++n) sum += net.outer[d][n] * h[n];
                    const double p = 1.0 / (1.0 + std::exp(-sum)),
                                 error = p - static_cast<double>(e.y[d]);
                    loss -= std::log(std::max(1e-9, e.y[d] > 0.5F ? p : 1.0 - p));
                    for (std::size_t n = 0; n < kSongHidden; ++n) {
                        g.outer[d][n] += error * h[n];
                        back[n] += error * net.outer[d][n] * (1.0 - h[n] * h[n]);
                    }
                    g.outer[d][kSongHidden] += error;
                }
                for (std::size_t n = 0; n < kSongHidden; ++n) {
                    for (std::size_t i = 0; i < kSongInputs; ++i)
                        g.inner[n][i] += back[n] * static_cast<double>(e.x[i]);
                    g.inner[n][kSongInputs] += back[n];
                }
            }
            b1 *= 0.9;
            b2 *= 0.999;
            const auto step = [&](double& w, double& mw, double& vw, double gw) {
                gw /= kBatch;
                mw = 0.9 * mw + 0.1 * gw;
                vw = 0.999 * vw + 0.001 * gw * gw;
                w -= rate * (mw / (1.0 - b1) / (std::sqrt(vw / (1.0 - b2)) + 1e-8) + 0.02 * w);
            };
            for (std::size_t n = 0; n < kSongHidden; ++n) {
                for (std::size_t i = 0; i <= kSongInputs; ++i)
                    step(net.inner[n][i], m.inner[n][i], v.inner[n][i], g.inner[n][i]);
            }
            for (std::size_t d = 0; d < kSongDrums; ++d) {
                for (std::size_t n = 0; n <= kSongHidden; ++n)
                    step(net.outer[d][n], m.outer[d][n], v.outer[d][n], g.outer[d][n]);
            }
        }
        std::fprintf(stderr, "round %d of %d: %.4f\n", round + 1, kRounds,
                     loss / static_cast<double>(examples.size()));
    }
    return net;
}

template <class Rows>
void print(const char* name, const char* rows, const char* columns, const Rows& table) {
    std::printf("inline constexpr std::array<std::array<float, %s + 1>, %s> %s{{\n", columns, rows,
                name);
    for (const auto& row : table) {
        std::printf("{");
        for (std::size_t i = 0; i < row.size(); ++i)
            std::printf("%.3fF%s", row[i], i + 1 == row.size() ? "},\n" : ", ");
    }
    std::printf("}};\n");
}

void printHeader(const Network& net) {
    std::printf(
        "// Printed by ember-fit-song; see core/measure/song/song_strokes.h.\n#pragma once\n\n"
        "#include \"core/measure/song/song_strokes.h\"\n\nnamespace ember {\n\n"
        "// clang-format off\n");
    print("kSongInner", "kSongHidden", "kSongInputs", net.inner);
    print("kSongOutputs", "kSongDrums", "kSongHidden", net.outer);
    std::printf("// clang-format on\n\n}  // namespace ember\n");
}

}  // namespace

int main() {
    std::vector<Example> examples;
    for (int n = 0; n < kSongsFitted; ++n) {
        for (const test::World world : {test::World::simulated, test::World::recorded}) {
            collect(world, n, examples);
            std::fprintf(stderr, "song %d of %d, %s\n", n + 1, kSongsFitted, test::nameOf(world));
        }
    }
    printHeader(fit(examples));
}
