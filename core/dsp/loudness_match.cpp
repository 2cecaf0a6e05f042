#include "core/dsp/loudness_match.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

// -70 LUFS as mean square of the weighted signal (-0.691 dB is the weighting's own offset).
const double kAbsoluteGate = std::pow(10.0, (-70.0 + 0.691) / 10.0);
constexpr double kRelativeGate = 0.1;
constexpr std::size_t kPiecesPerBlock = 4;

}  // namespace

void LoudnessMatch::prepare(double rate) {
    // BS.1770-4, annex 1, as analogue prototypes warped to any rate (as libebur128 does).
    const double k = std::tan(std::numbers::pi * 1681.974450955533 / rate), q = 0.7071752369554196,
                 vh = std::pow(10.0, 3.999843853973347 / 20.0),
                 vb = std::pow(vh, 0.4996667741545416), a0 = 1.0 + k / q + k * k;
    shelf_[0] = (vh + vb * k / q + k * k) / a0;
    shelf_[1] = 2.0 * (k * k - vh) / a0;
    shelf_[2] = (vh - vb * k / q + k * k) / a0;
    shelf_[3] = 2.0 * (k * k - 1.0) / a0;
    shelf_[4] = (1.0 - k / q + k * k) / a0;
    const double h = std::tan(std::numbers::pi * 38.13547087602444 / rate), hq = 0.5003270373238773,
                 b0 = 1.0 + h / hq + h * h;
    high_[0] = 2.0 * (h * h - 1.0) / b0;
    high_[1] = (1.0 - h / hq + h * h) / b0;
    piece_ = std::max(1, static_cast<int>(std::lround(0.1 * rate)));
    reset();
}

void LoudnessMatch::reset() {
    in_ = out_ = {};
    inEnergy_.fill(0.0);
    outEnergy_.fill(0.0);
    count_ = at_ = 0;
    frames_ = 0;
    sumIn_ = sumOut_ = 0.0;
    gain_ = 1.0;
}

double LoudnessMatch::weigh(Weight& w, double x) const {
    const double y = shelf_[0] * x + w.z[0];
    w.z[0] = shelf_[1] * x - shelf_[3] * y + w.z[1];
    w.z[1] = shelf_[2] * x - shelf_[4] * y;
    const double v = y + w.z[2];
    w.z[2] = -2.0 * y - high_[0] * v + w.z[3];
    w.z[3] = y - high_[1] * v;
    return v;
}

void LoudnessMatch::add(int channel, double in, double out) {
    const auto c = static_cast<std::size_t>(channel);
    const double a = weigh(in_[c], in), b = weigh(out_[c], out);
    sumIn_ += a * a;
    sumOut_ += b * b;
}

double LoudnessMatch::gated(const std::array<double, kPieces>& energies) const {
    // Blocks of four pieces, one begun with every piece; at first whatever there is.
    const std::size_t span = std::min(kPiecesPerBlock, count_);
    const auto block = [&](std::size_t i) {
        double sum = 0.0;
        for (std::size_t k = 0; k < span; ++k)
            sum += energies[(at_ + kPieces - count_ + i + k) % kPieces];
        return sum / static_cast<double>(span);
    };
    const std::size_t blocks = count_ + 1 - span;
    const auto mean = [&](double gate) {
        double sum = 0.0;
        int n = 0;
        for (std::size_t i = 0; i < blocks; ++i) {
            const double e = block(i);
            if (e < gate) continue;
            sum += e;
            ++n;
        }
        return n > 0 ? sum / n : 0.0;
    };
    return mean(std::max(kAbsoluteGate, kRelativeGate * mean(kAbsoluteGate)));
}

bool LoudnessMatch::endFrame() {
    if (++frames_ < piece_) return false;
    inEnergy_[at_] = sumIn_ / frames_;
    outEnergy_[at_] = sumOut_ / frames_;
    at_ = (at_ + 1) % kPieces;
    count_ = std::min(count_ + 1, kPieces);
    frames_ = 0;
    sumIn_ = sumOut_ = 0.0;
    const double in = gated(inEnergy_), out = gated(outEnergy_);
    if (in <= 0.0 || out <= 0.0) return false;
    gain_ = std::sqrt(in / out);
    return true;
}

}  // namespace ember
