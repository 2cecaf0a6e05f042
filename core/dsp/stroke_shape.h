// Pitch and envelope of strokes: each stroke tuned up or down, faded in, shortened and faded out.
//
// Two readers run over the recording. A stroke sends one of them to where the stroke begins, so
// that its first moment is where it was and the pitch moves from there, as a tape does that runs
// faster or slower; the other fades away within 2 ms. Where a reader would run out of recording, or
// fall too far behind, it steps by a stretch that looks alike: the best normalised
// cross-correlation (Verhelst & Roelands, "An overlap-add technique based on waveform similarity
// (WSOLA)", ICASSP 1993). Samples between samples come from a windowed sinc whose band narrows as
// the reader runs faster (Smith & Gossett, "A flexible sampling-rate conversion method", ICASSP
// 1984). Untuned and unshaped it returns what it was given, late by the look-ahead.
// Latency: the look-ahead.
#pragma once

#include "core/dsp/processor.h"
#include "core/dsp/smoother.h"

#include <array>
#include <cstdint>

namespace ember {

class StrokeShape : public ValueProcessor<StrokeShape> {
  public:
    enum Index { tune, rise, length, fade, floor, lookAhead, mix };

    StrokeShape(const ProcessSpec& spec, std::span<const double> values);
    [[nodiscard]] int latency() const override { return late_; }
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;
    void strike(std::span<const BlockEvent> strikes) override;
    [[nodiscard]] bool wantsStrokes() const override { return true; }
    // Told when the stroke comes in, and early enough to fade over before it comes out.
    [[nodiscard]] int strokeLead() const override { return late_ + blend_; }

    static constexpr std::size_t kTaps = 32, kPhases = 256;
    // A windowed sinc by phase and tap.
    using Kernel = std::array<std::array<float, kTaps>, kPhases + 1>;

  private:
    // A reader and the envelope of what it reads.
    struct Voice {
        double at = 0.0;    // where it reads, frames of the input
        double age = 0.0;   // frames since it was struck; < 0: never
        double step = 0.0;  // where it came from while it steps, frames away
        int stepLeft = 0;   // frames left to fade over from there
    };
    // What one frame is made of, kept for replay.
    struct Frame {
        double at[2] = {}, from[2] = {};        // of both voices; `from`: stepped from
        float gain[2] = {}, fromShare[2] = {};  // envelope with the blend; 0..1
        float wet = 1.0F;
    };

    void store(const AudioBlock& io);
    void decide(int frames);
    void apply(const AudioBlock& io, const Frame* frames) const;
    [[nodiscard]] float read(int channel, double at, int kernel) const;
    [[nodiscard]] double envelope(const Voice& voice) const;
    void advance(Voice& voice, double end, double grows);
    [[nodiscard]] double alike(double at, double nearest, double farthest) const;

    ProcessSpec spec_;
    std::vector<double> values_;
    Smoother tune_, floor_, mix_;
    double ratio_ = 1.0;  // frames a reader moves by in one frame
    int late_ = 0, blend_ = 0, farthest_ = 0;
    std::array<std::vector<float>, 2> ring_;
    std::size_t mask_ = 0;
    std::int64_t written_ = 0;  // frames of input so far
    Voice voices_[2];
    int newest_ = 0;
    int blendLeft_ = 0;
    // Strokes to come: when the fade over to them begins, in frames since the start, ascending,
    // each at another frame; and how old they are then (negative: no stroke, only an end of the
    // last).
    struct Pending {
        std::int64_t at = 0;
        double age = 0.0;
    };
    void await(const Pending& stroke);
    std::vector<Pending> pending_;
    int pendingCount_ = 0;
    Frame frames_[kBlock];
    const Kernel* kernels_ = nullptr;  // one for every semitone up
    int kernel_ = 0;
};

ProcessorType strokeShapeType();

}  // namespace ember
