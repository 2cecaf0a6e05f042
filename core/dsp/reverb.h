// Reverb: a plate or a room, its decay set by bands.
//
// A network of 32 delay lines mixed by a Hadamard matrix (Jot & Chaigne, "Digital delay networks
// for designing artificial reverberators", AES 90th Convention, 1991); every line is damped by its
// own length, so that all frequencies of a band decay alike, with a shelf for lows and one for
// highs. Shelves of small gain are proportional in decibels (Jot 1992; Valimaki, Prawda & Schlecht,
// "Two- stage attenuation filter for artificial reverberation", IEEE SPL 31, 2024, discuss the
// limits), so the decay between the corners follows the formula of reverbDecayMs(). In front,
// all-pass sections spread each stroke (Schroeder, "Natural sounding artificial reverberation",
// JAES 10(3), 1962). A room has first reflections on top, from images of the source in a box (Allen
// & Berkley, JASA 65(4), 1979). The level of the tail is compensated: longer is not louder. It
// gives way while the drum sounds where that is wanted (give_way.h). No latency; the untouched
// share stays in time.
#pragma once

#include "core/dsp/block_delay.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/give_way.h"
#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>
#include <vector>

namespace ember {

class Reverb : public ValueProcessor<Reverb> {
  public:
    enum Index {
        kind,
        decay,
        preDelay,
        size,
        width,
        mix,
        early,
        lowDecay,
        lowCorner,
        highDecay,
        highCorner,
        lowCut,
        highCut,
        density,
        modulation,
        duck
    };
    enum Kind { plate, room };

    static constexpr int kLines = 32;

    Reverb(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    // What comes in decides how far the space gives way: parts sum only without that.
    [[nodiscard]] bool replaysExactly() const override { return values_[duck] <= 0.0; }
    // Frames of all delay lines together.
    [[nodiscard]] int totalDelay() const;

  private:
    using Lane = std::array<float, kLines>;
    // Filters of all lines: a shelf for the lows, which holds the gain, and one for the highs.
    struct alignas(64) Damping {
        Lane low0{}, low1{}, lowA{}, high0{}, high1{}, highA{};
        float level = 1.0F;
    };
    struct AllPass {
        BlockDelay line;
        void process(float* io, int frames, const float* gain);
    };
    // One-pole low-pass (topology-preserving), for the tone of what comes back.
    struct Pole {
        float state = 0.0F;
        float low(float x, float g) {
            const float v = (x - state) * g, y = v + state;
            state = y + v;
            return y;
        }
    };
    struct Tap {
        int delay = 0;
        float gain = 0.0F;
    };

    void buildLines();
    void buildEarly();
    [[nodiscard]] Damping damped() const;
    void aimDamping();
    void addEarly(const float* in, float* const wet[2], int frames);
    void network(float* const in[2], float* const wet[2], int frames);
    void readLines(float* work, int frames);

    ProcessSpec spec_;
    std::vector<double> values_;
    std::array<BlockDelay, kLines> lines_;
    std::array<std::array<AllPass, 4>, 2> spread_;
    DelayLine pre_;
    BlockDelay earlyLine_;
    std::array<std::vector<Tap>, 2> taps_;
    Damping now_, target_, step_;
    int ramp_ = 0;  // frames until now_ is target_
    alignas(64) Lane lowState_{}, highState_{};
    std::array<std::array<Pole, 4>, 2> poles_;
    std::array<double, kLines> phase_{};
    Smoother width_, mix_, early_, density_, depth_, lowCutTo_, highCutTo_;
    GiveWay give_;
};

// Milliseconds in which what the reverb gives back falls by 60 dB at `hertz`: 1/T is 1/T of the
// middle, plus what lows and highs differ from it, weighed by first-order slopes at their corners.
double reverbDecayMs(std::span<const double> values, double hertz);

ProcessorType reverbType();

}  // namespace ember
