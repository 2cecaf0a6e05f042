#include "core/base/fft.h"

#include <fftw3.h>

#include <algorithm>
#include <mutex>

namespace ember {
namespace {

std::mutex& plannerMutex() {
    static std::mutex mutex;
    return mutex;
}

}  // namespace

struct RealFft::Plan {
    float* time = nullptr;
    fftwf_complex* bins = nullptr;
    fftwf_plan plan = nullptr, back = nullptr;  // `back` once it is asked for
};

RealFft::RealFft(int length) : length_(length), plan_(std::make_unique<Plan>()) {
    const std::lock_guard lock(plannerMutex());
    const auto n = static_cast<std::size_t>(length);
    plan_->time = fftwf_alloc_real(n);
    plan_->bins = fftwf_alloc_complex(n / 2 + 1);
    plan_->plan = fftwf_plan_dft_r2c_1d(length, plan_->time, plan_->bins, FFTW_ESTIMATE);
}

RealFft::~RealFft() {
    const std::lock_guard lock(plannerMutex());
    fftwf_destroy_plan(plan_->plan);
    if (plan_->back != nullptr) fftwf_destroy_plan(plan_->back);
    fftwf_free(plan_->bins);
    fftwf_free(plan_->time);
}

std::span<float> RealFft::time() {
    return {plan_->time, static_cast<std::size_t>(length_)};
}

std::span<const std::complex<float>> RealFft::forward() {
    fftwf_execute(plan_->plan);
    // FFTW guarantees the layout of std::complex for fftwf_complex.
    return {reinterpret_cast<const std::complex<float>*>(plan_->bins),
            static_cast<std::size_t>(length_ / 2 + 1)};
}

void RealFft::inverse(std::span<const std::complex<float>> spectrum) {
    if (plan_->back == nullptr) {
        const std::lock_guard lock(plannerMutex());
        plan_->back = fftwf_plan_dft_c2r_1d(length_, plan_->bins, plan_->time, FFTW_ESTIMATE);
    }
    auto* bins = reinterpret_cast<std::complex<float>*>(plan_->bins);
    if (spectrum.data() != bins) std::copy(spectrum.begin(), spectrum.end(), bins);
    fftwf_execute(plan_->back);
}

}  // namespace ember
