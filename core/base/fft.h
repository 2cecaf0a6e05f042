// Real Fourier transform of one fixed power-of-two length (FFTW, single precision).
#pragma once

#include <complex>
#include <memory>
#include <span>

namespace ember {

// Owns its plan and scratch space. One instance belongs to one thread; making
// one takes a lock (FFTW's planner is shared) and may allocate.
class RealFft {
  public:
    explicit RealFft(int length);
    ~RealFft();
    RealFft(const RealFft&) = delete;
    RealFft& operator=(const RealFft&) = delete;

    [[nodiscard]] int length() const { return length_; }
    // The input of `length` samples, to be filled before forward().
    [[nodiscard]] std::span<float> time();
    // Unnormalised spectrum of length/2 + 1 bins, valid until the next call.
    std::span<const std::complex<float>> forward();
    // Fills time() from a spectrum of length/2 + 1 bins, which may be the one forward() gave;
    // forward and back make length times as much.
    void inverse(std::span<const std::complex<float>> spectrum);

  private:
    struct Plan;
    int length_;
    std::unique_ptr<Plan> plan_;
};

}  // namespace ember
