#include "core/dsp/seat.h"

#include "core/base/units.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

const std::vector<Parameter>& seatTable() {
    static const std::vector<Parameter> table{
        {"level",
         "Level",
         Unit::dB,
         -90.0,
         12.0,
         0.0,
         Scale::linear,
         "How loud the row is in its bus.",
         {}},
        {"pan",
         "Pan",
         Unit::percent,
         -100.0,
         100.0,
         0.0,
         Scale::linear,
         "Place between left (-100) and right (100). Constant power, 0 dB in the middle.",
         {}},
        {"width",
         "Width",
         Unit::percent,
         0.0,
         200.0,
         100.0,
         Scale::linear,
         "Size of a stereo row: 0 is mono, 100 as recorded, 200 twice the side signal. The mono "
         "sum stays the same.",
         {}},
    };
    return table;
}

}  // namespace

PanGains panMono(double pan) {
    if (pan == 0.0) return {};
    const double angle = (pan + 1.0) * 0.25 * std::numbers::pi;
    return {std::numbers::sqrt2 * std::cos(angle), std::numbers::sqrt2 * std::sin(angle)};
}

PanGains panStereo(double pan) {
    const double away = std::cos(std::abs(pan) * 0.5 * std::numbers::pi);
    return pan > 0.0 ? PanGains{away, 1.0} : (pan < 0.0 ? PanGains{1.0, away} : PanGains{});
}

ProcessorType seatType() {
    return {
        "seat",
        "Seat",
        Column::seat,
        false,
        "Level, pan and width: where the row sits in the mix.",
        "Constant-power pan, 0 dB in the middle; width scales the side signal.",
        seatTable(),
        [](const ProcessSpec& spec, std::span<const double> values) -> std::unique_ptr<Processor> {
            return std::make_unique<Seat>(spec, values);
        }};
}

Seat::Seat(const ProcessSpec& spec, std::span<const double> values) : channels_(spec.channels) {
    for (Smoother* s : {&left_, &right_, &width_, &audible_}) s->prepare(spec.sampleRate);
    levelDb_ = values[level];
    pan_ = values[pan] / 100.0;
    width_.aim(values[width] / 100.0);
    audible_.aim(1.0);
    aim();
    Seat::reset();
}

void Seat::aim() {
    const double gain = levelDb_ <= seatTable()[level].minimum ? 0.0 : gainFromDb(levelDb_);
    if (pan_ != placed_) sides_ = channels_ == 1 ? panMono(pan_) : panStereo(pan_);
    placed_ = pan_;
    left_.aim(gain * sides_.left);
    right_.aim(gain * sides_.right);
}

void Seat::setValue(int index, double value) {
    if (index == level) levelDb_ = value;
    if (index == pan) pan_ = value / 100.0;
    if (index == width) width_.aim(value / 100.0);
    aim();
}

bool Seat::followCurve(int index, std::span<const double> values) {
    followed_[static_cast<std::size_t>(index)] = values;
    return true;
}

// Gains of every frame, worked out where they change; where the curves leave it the rest goes on.
void Seat::processFollowed(const AudioBlock& io) {
    float *l = io.channel[0], *r = io.channel[1];
    const auto &levels = followed_[level], &pans = followed_[pan], &widths = followed_[width];
    const bool placed = !levels.empty() || !pans.empty();
    for (int i = 0; i < io.frames; ++i) {
        const auto at = static_cast<std::size_t>(i);
        const double db = levels.empty() ? levelDb_ : levels[at],
                     place = pans.empty() ? pan_ : pans[at] / 100.0;
        // Level and pan share two gains: where a curve moves either, both are there at once.
        if (placed && (i == 0 || db != levelDb_ || place != pan_)) {
            levelDb_ = db;
            pan_ = place;
            aim();
            left_.jump(left_.target());
            right_.jump(right_.target());
        }
        if (!widths.empty()) width_.jump(widths[at] / 100.0);
        const auto w = static_cast<float>(width_.next());
        const double on = audible_.next();
        const float mid = 0.5F * (l[i] + r[i]), side = 0.5F * w * (l[i] - r[i]);
        l[i] = (mid + side) * static_cast<float>(left_.next() * on);
        r[i] = (mid - side) * static_cast<float>(right_.next() * on);
    }
    followed_ = {};
}

void Seat::reset() {
    for (Smoother* s : {&left_, &right_, &width_, &audible_}) s->jump(s->target());
}

void Seat::process(const AudioBlock& io, const AudioBlock& key) {
    (void)key;
    float* l = io.channel[0];
    float* r = io.channel[1];
    if (channels_ == 1) std::copy_n(l, io.frames, r);
    if (std::any_of(followed_.begin(), followed_.end(), [](auto f) { return !f.empty(); }))
        return processFollowed(io);
    if (left_.moving() || right_.moving() || width_.moving() || audible_.moving()) {
        for (int i = 0; i < io.frames; ++i) {
            const auto w = static_cast<float>(width_.next());
            const auto on = audible_.next();
            const float mid = 0.5F * (l[i] + r[i]), side = 0.5F * w * (l[i] - r[i]);
            l[i] = (mid + side) * static_cast<float>(left_.next() * on);
            r[i] = (mid - side) * static_cast<float>(right_.next() * on);
        }
        return;
    }
    const auto w = static_cast<float>(width_.value());
    if (channels_ == 2 && w != 1.0F) {
        for (int i = 0; i < io.frames; ++i) {
            const float mid = 0.5F * (l[i] + r[i]), side = 0.5F * w * (l[i] - r[i]);
            l[i] = mid + side;
            r[i] = mid - side;
        }
    }
    const auto gainL = static_cast<float>(left_.value() * audible_.value());
    const auto gainR = static_cast<float>(right_.value() * audible_.value());
    for (int i = 0; i < io.frames; ++i) {
        l[i] *= gainL;
        r[i] *= gainR;
    }
}

}  // namespace ember
