#include "core/report/gate_trials.h"

#include "core/audio/store.h"
#include "core/dsp/biquad_design.h"
#include "core/dsp/cascade.h"
#include "core/dsp/gate.h"
#include "core/dsp/processor.h"
#include "core/report/stroke_view.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <span>

namespace ember {
namespace {

constexpr double kClickHertz = 6000.0, kFront = 0.005, kAround = 0.005;

double energy(std::span<const float> x, std::size_t from, std::size_t to) {
    double sum = 0.0;
    for (std::size_t i = from; i < std::min(to, x.size()); ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return sum;
}

// What lies above kClickHertz; fourth-order Butterworth.
std::vector<float> treble(std::vector<float> x, double rate) {
    std::array<Biquad, 2> sections;
    const std::array<double, 2> q{0.5412, 1.3066};
    for (std::size_t i = 0; i < 2; ++i)
        sections[i] = design({1.0, 0.0, 0.0, 1.0, 1.0 / q[i], 1.0, kClickHertz}, rate);
    Cascade filter;
    filter.setSections(sections);
    filter.reset();
    for (std::size_t at = 0; at < x.size(); at += kBlock)
        filter.process(x.data() + at,
                       static_cast<int>(std::min<std::size_t>(kBlock, x.size() - at)));
    return x;
}

}  // namespace

std::vector<GateTrial> tryGate(const Session& session, AudioStore& store, const std::string& row,
                               const std::string& stage, double time,
                               const std::vector<double>& attacks,
                               const std::vector<double>& lookAheads) {
    std::vector<GateTrial> out;
    Session tried = session;
    Stage& gate = requireStage(requireRow(tried, row), stage);
    const bool byStrokes = gate.values[Gate::keySource] >= 0.5;
    const auto ahead = static_cast<std::size_t>(byStrokes ? Gate::strokeEarly : Gate::lookAhead);
    gate.on = true;
    gate.values[Gate::output] = 0.0;
    for (const double lookAhead : lookAheads) {
        for (const double attack : attacks) {
            gate.values[Gate::attack] = attack;
            gate.values[ahead] = lookAhead;
            const StrokeView view = viewStroke(tried, store, row, stage, time, false);
            const double rate = view.sampleRate;
            const auto at = static_cast<std::size_t>(StrokeView::kLead * rate),
                       front = static_cast<std::size_t>(kFront * rate),
                       around = static_cast<std::size_t>(kAround * rate);
            GateTrial trial{attack, lookAhead};
            trial.frontDb = 10.0 * std::log10((energy(view.now, at, at + front) + 1e-20) /
                                              (energy(view.before, at, at + front) + 1e-20));
            // What the gate does, without what it takes: the treble it adds beside that of the
            // stroke multiplied by the same gain.
            std::vector<float> changed(view.now.size());
            for (std::size_t i = 0; i < changed.size(); ++i)
                changed[i] = view.now[i] - view.before[i];
            const std::vector<float> added = treble(changed, rate), own = treble(view.before, rate);
            double splatter = 0.0, kept = 1e-20;
            for (std::size_t i = at - around; i < std::min(added.size(), at + around); ++i) {
                const auto was = static_cast<double>(view.before[i]);
                // The gain at this moment; where there is nothing, none.
                const double gain =
                    std::abs(was) > 1e-6 ? std::clamp(view.now[i] / was, 0.0, 2.0) : 1.0;
                const double expected = (gain - 1.0) * static_cast<double>(own[i]);
                splatter += std::pow(static_cast<double>(added[i]) - expected, 2.0);
                kept += std::pow(static_cast<double>(own[i]), 2.0);
            }
            trial.clickDb = std::max(-60.0, 10.0 * std::log10(splatter / kept + 1e-6));
            out.push_back(trial);
        }
    }
    return out;
}

}  // namespace ember
