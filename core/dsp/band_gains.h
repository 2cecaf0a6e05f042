// Gains by band and moment over a recording, and what reads the recording with them.
//
// A short-time Fourier transform (windows of a square-rooted Hann shape, three quarters over one
// another; Griffin & Lim, IEEE Trans. ASSP 32(2), 1984) on a grid that is anchored to song zero:
// what is heard at a place of the song depends on that place alone, whoever asks in which portions.
// Gains of one leave the recording as it is, bit for bit. Where a stroke lies within a window, that
// is cut in two at the stroke, each with gains of its own, so that nothing of what follows is heard
// before it (as windows are switched in coding: Edler, Frequenz 43(9), 1989).
#pragma once

#include "core/base/fft.h"
#include "core/base/units.h"

#include <array>
#include <complex>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace ember {

// Windows along the song and bands across them. Window w begins at song frame (w - 3) x hop().
struct BandGrid {
    int window = 2048;          // frames, a power of two
    std::vector<int> firstBin;  // of each band, ascending from 0; the last band ends at window / 2
    std::int64_t windows = 0;

    [[nodiscard]] int hop() const { return window / 4; }
    [[nodiscard]] int bands() const { return static_cast<int>(firstBin.size()); }
    [[nodiscard]] int bins() const { return window / 2 + 1; }
    bool operator==(const BandGrid&) const = default;
};

// The grid for this many frames: a window of 43 ms; bands of one bin up to 200 Hz, then four to the
// octave, about what the ear tells apart.
BandGrid bandGrid(double sampleRate, Frames end);
// The shape that each window has before and after.
std::vector<float> bandWindow(int length);

struct BandGains {
    // A window that is cut: up to its frame `at`, gains of `before` at `row`; from there on those
    // of the window.
    struct Cut {
        std::int64_t window = 0;
        int at = 0;
        std::size_t row = 0;
    };

    BandGrid grid;
    std::vector<float> gain;    // linear, by window and band
    std::vector<Cut> cuts;      // by window, one at most
    std::vector<float> before;  // by cut and band

    [[nodiscard]] const Cut* cutOf(std::int64_t window) const;
    [[nodiscard]] std::span<const float> beforeOf(const Cut& cut) const {
        const auto bands = static_cast<std::size_t>(grid.bands());
        return {before.data() + cut.row * bands, bands};
    }
    [[nodiscard]] std::span<const float> at(std::int64_t window) const {
        const auto bands = static_cast<std::size_t>(grid.bands());
        return {gain.data() + static_cast<std::size_t>(window) * bands, bands};
    }
};

// One channel of samples in the song: the first of them at `offset`; silence around them.
struct SongSignal {
    std::span<const float> samples;
    Frames offset = 0;

    // Copies what is heard from `from` on.
    void read(Frames from, std::span<float> out) const;
};

// What gains add to a signal (and take from it): the signal and this are what is heard.
// Making one allocates; read() is real-time safe where the samples are in memory. One instance
// belongs to one thread at a time. It may be asked for any place; it is cheap where one request
// follows another, for up to three that go on side by side (a jump, a delay that moves).
class BandGainReader {
  public:
    // `ahead`, in frames and under a hop, spreads the work of many readers over time.
    BandGainReader(SongSignal signal, std::shared_ptr<const BandGains> gains, int ahead = 0);

    void read(Frames from, std::span<float> out);

  private:
    static constexpr std::int64_t kNothing = INT64_MIN / 2;
    static constexpr int kKept = 4;  // hops that stay ready
    struct Cursor {
        std::int64_t first = kNothing, last = kNothing;  // hops that are ready
        std::uint64_t used = 0;
        std::vector<float> sum;    // a window: what is to come, from the hop after `last` on
        std::vector<float> ready;  // kKept hops, by their number
    };
    Cursor& cursorAt(std::int64_t hop);
    void goOn(Cursor& cursor);
    void addWindow(Cursor& cursor, std::int64_t window, int into);
    // Adds what gains do to the part of a window in [from, to), faded at its cuts, to bins_.
    void addPart(std::int64_t window, std::span<const float> gain, int from, int to);

    SongSignal signal_;
    std::shared_ptr<const BandGains> gains_;
    std::vector<float> shape_;  // of a window
    int ahead_ = 0;
    RealFft fft_;
    std::vector<std::complex<float>> bins_;
    std::array<Cursor, 3> cursors_;
    std::uint64_t turn_ = 0;
};

}  // namespace ember
