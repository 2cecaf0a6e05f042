// Pump: the level steps back under each stroke, or each beat, and comes back in a drawn shape.
//
// The gain is a function of the time from a stroke: it falls along a raised cosine so that it is
// down when the stroke comes, holds, and comes back on its way in dB. Of strokes that overlap the
// deeper one counts. So what plays depends on the place in the song alone (softer strokes that come
// while a harder one still holds it down excepted: of what was before a jump only the last is
// known). Where the song jumps or a setting moves, the gain goes over from where it was within 8
// ms. What moves with the beat has its beats for strokes (beatOf in session/curves.h). No latency.
#pragma once

#include "core/dsp/processor.h"

#include <array>
#include <cstdint>

namespace ember {

class Pump : public ValueProcessor<Pump> {
  public:
    enum Index { by, depth, fall, hold, back, bend, follow, offset };
    // The choices of `by`: strokes, or a beat every so often.
    enum By { strokes, eighths, quarters, halves, bars };
    static constexpr double kLongestFallMs = 30.0;

    Pump(const ProcessSpec& spec, std::span<const double> values);
    void setValue(int index, double value) override;
    void reset() override;
    void process(const AudioBlock& io, const AudioBlock& key) override;
    void replay(const AudioBlock& io, const Processor& master) override;
    void strike(std::span<const BlockEvent> strikes) override;
    [[nodiscard]] bool wantsStrokes() const override { return true; }
    // Early enough for the longest fall.
    [[nodiscard]] int strokeLead() const override { return lead_; }

  private:
    // A stroke, in frames since the start of everything.
    struct Dip {
        std::int64_t at = 0;  // when it comes out
        std::int64_t begins = 0,
                     ends = 0;  // the place of the song it belongs to is heard meanwhile
        double share = 0.0;     // of the depth
    };
    void put(const Dip& dip);
    [[nodiscard]] double dbNow();
    void goOver();
    void apply(const AudioBlock& io, const std::array<float, kBlock>& gains) const;

    static constexpr std::size_t kDips = 32;
    ProcessSpec spec_;
    std::vector<double> values_;
    int lead_ = 0;
    std::array<Dip, kDips> dips_;
    std::size_t dipCount_ = 0;
    std::int64_t now_ = 0, here_ = 0;  // here_: since when this place of the song is heard
    std::int64_t first_ = 0;           // and since when anything is: nothing goes over there
    bool begun_ = false;
    double lastDb_ = 0.0, overFrom_ = 0.0, overLeft_ = 0.0;  // overLeft_: 1..0
    std::array<float, kBlock> gains_{};
    bool moves_ = false;  // gains_ are not all 1
};

// The gain, dB, `ms` after a stroke (negative: before it) that reaches `share` of the depth.
double pumpDb(std::span<const double> values, double ms, double share = 1.0);

ProcessorType pumpType();

}  // namespace ember
