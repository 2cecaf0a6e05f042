#include "core/dsp/band_gains.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

std::int64_t floorDivided(std::int64_t a, std::int64_t b) {
    return a >= 0 ? a / b : -((-a + b - 1) / b);
}

// A window is cut over so many frames, which end where the stroke begins.
constexpr int kFade = 48;

// From 0 to 1 up to a cut; `i` frames behind it.
float riseAt(int i) {
    if (i >= 0) return 1.0F;
    if (i < -kFade) return 0.0F;
    const float part = static_cast<float>(i + kFade) / static_cast<float>(kFade);
    return part * part * (3.0F - 2.0F * part);
}

bool isWhole(std::span<const float> gain) {
    return std::all_of(gain.begin(), gain.end(), [](float g) { return g == 1.0F; });
}

}  // namespace

const BandGains::Cut* BandGains::cutOf(std::int64_t window) const {
    const auto at = std::lower_bound(cuts.begin(), cuts.end(), window,
                                     [](const Cut& cut, std::int64_t w) { return cut.window < w; });
    return at != cuts.end() && at->window == window ? &*at : nullptr;
}

BandGrid bandGrid(double sampleRate, Frames end) {
    constexpr double kLinear = 200.0, kStep = 1.189207115002721;  // a quarter of an octave
    BandGrid grid;
    grid.window = 256;
    while (grid.window < 0.03 * sampleRate) grid.window *= 2;
    grid.windows = floorDivided(std::max<Frames>(end, 0), grid.hop()) + 4;
    const double width = sampleRate / grid.window;
    double edge = 0.0;
    for (int bin = 0; bin < grid.bins(); ++bin) {
        const double hertz = bin * width;
        if (hertz < edge) continue;
        grid.firstBin.push_back(bin);
        edge = hertz <= kLinear ? hertz + 0.5 * width : std::max(hertz * kStep, hertz + width);
    }
    return grid;
}

std::vector<float> bandWindow(int length) {
    std::vector<float> shape(static_cast<std::size_t>(length));
    for (int i = 0; i < length; ++i) {
        shape[static_cast<std::size_t>(i)] =
            static_cast<float>(std::sin(std::numbers::pi * i / length));
    }
    return shape;
}

void SongSignal::read(Frames from, std::span<float> out) const {
    const Frames start = from - offset, size = std::ssize(samples), frames = std::ssize(out);
    const Frames first = std::clamp<Frames>(-start, 0, frames);
    const Frames last = std::clamp<Frames>(size - start, first, frames);
    std::fill_n(out.begin(), first, 0.0F);
    if (last > first) std::copy_n(samples.data() + start + first, last - first, out.data() + first);
    std::fill(out.begin() + last, out.end(), 0.0F);
}

BandGainReader::BandGainReader(SongSignal signal, std::shared_ptr<const BandGains> gains, int ahead)
    : signal_(signal),
      gains_(std::move(gains)),
      shape_(bandWindow(gains_->grid.window)),
      ahead_(ahead),
      fft_(gains_->grid.window),
      bins_(static_cast<std::size_t>(gains_->grid.bins())) {
    const auto window = static_cast<std::size_t>(gains_->grid.window);
    for (Cursor& cursor : cursors_) {
        cursor.sum.assign(window, 0.0F);
        cursor.ready.assign(kKept * static_cast<std::size_t>(gains_->grid.hop()), 0.0F);
    }
}

void BandGainReader::addPart(std::int64_t window, std::span<const float> gain, int from, int to) {
    if (from >= to || isWhole(gain)) return;
    const BandGrid& grid = gains_->grid;
    const auto time = fft_.time();
    signal_.read((window - 3) * grid.hop(), time);
    for (int i = 0; i < grid.window; ++i) {
        const auto at = static_cast<std::size_t>(i);
        time[at] *= shape_[at] * (riseAt(i - from) - riseAt(i - to));
    }
    const auto spectrum = fft_.forward();
    for (std::size_t b = 0; b < gain.size(); ++b) {
        const auto first = static_cast<std::size_t>(grid.firstBin[b]);
        const auto end =
            b + 1 < gain.size() ? static_cast<std::size_t>(grid.firstBin[b + 1]) : bins_.size();
        // Forward and back make it a window's length louder, the four windows twice.
        const float more = (gain[b] - 1.0F) * 0.5F / static_cast<float>(grid.window);
        for (std::size_t k = first; k < end; ++k) bins_[k] += more * spectrum[k];
    }
}

// Adds a window's part from its hop number `into` on to the sum, which begins there.
void BandGainReader::addWindow(Cursor& cursor, std::int64_t window, int into) {
    const BandGrid& grid = gains_->grid;
    if (window < 0 || window >= grid.windows) return;
    const auto gain = gains_->at(window);
    const BandGains::Cut* cut = gains_->cutOf(window);
    if (isWhole(gain) && (cut == nullptr || isWhole(gains_->beforeOf(*cut)))) return;
    std::fill(bins_.begin(), bins_.end(), std::complex<float>());
    const int cutAt = cut != nullptr ? cut->at : -kFade;
    if (cut != nullptr) addPart(window, gains_->beforeOf(*cut), -kFade, cutAt);
    addPart(window, gain, cutAt, grid.window + kFade);
    fft_.inverse(bins_);
    const auto back = fft_.time();
    const auto skipped = static_cast<std::size_t>(into) * static_cast<std::size_t>(grid.hop());
    for (std::size_t i = skipped; i < back.size(); ++i)
        cursor.sum[i - skipped] += back[i] * shape_[i];
}

// Makes the hop after the last one.
void BandGainReader::goOn(Cursor& cursor) {
    const auto hop = static_cast<std::size_t>(gains_->grid.hop());
    ++cursor.last;
    addWindow(cursor, cursor.last + 3, 0);
    float* to = cursor.ready.data() + static_cast<std::size_t>(cursor.last & (kKept - 1)) * hop;
    std::copy_n(cursor.sum.begin(), hop, to);
    std::copy(cursor.sum.begin() + static_cast<std::ptrdiff_t>(hop), cursor.sum.end(),
              cursor.sum.begin());
    std::fill(cursor.sum.end() - static_cast<std::ptrdiff_t>(hop), cursor.sum.end(), 0.0F);
    cursor.first = std::max(cursor.first, cursor.last - (kKept - 1));
}

// A cursor that has this hop ready.
BandGainReader::Cursor& BandGainReader::cursorAt(std::int64_t hop) {
    Cursor* oldest = cursors_.data();
    for (Cursor& cursor : cursors_) {
        if (cursor.first <= hop && hop <= cursor.last + 1 && cursor.last != kNothing) {
            if (hop > cursor.last) goOn(cursor);
            return cursor;
        }
        if (cursor.used < oldest->used) oldest = &cursor;
    }
    // The windows that reach into this hop and begin before it, in the order in which they would
    // have come.
    std::fill(oldest->sum.begin(), oldest->sum.end(), 0.0F);
    for (int before = 3; before > 0; --before) addWindow(*oldest, hop + 3 - before, before);
    oldest->first = hop;
    oldest->last = hop - 1;
    goOn(*oldest);
    return *oldest;
}

void BandGainReader::read(Frames from, std::span<float> out) {
    const auto hop = static_cast<std::int64_t>(gains_->grid.hop());
    for (std::size_t done = 0; done < out.size();) {
        const Frames at = from + static_cast<Frames>(done);
        const std::int64_t number = floorDivided(at, hop);
        Cursor& cursor = cursorAt(number);
        cursor.used = ++turn_;
        const Frames within = at - number * hop;
        const auto count =
            std::min<std::size_t>(out.size() - done, static_cast<std::size_t>(hop - within));
        const float* ready =
            cursor.ready.data() + static_cast<std::size_t>((number & (kKept - 1)) * hop + within);
        std::copy_n(ready, count, out.data() + done);
        done += count;
        if (done == out.size() &&
            floorDivided(from + static_cast<Frames>(done) + ahead_, hop) == cursor.last + 1)
            goOn(cursor);
    }
}

}  // namespace ember
