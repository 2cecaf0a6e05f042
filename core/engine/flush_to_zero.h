// Denormal numbers are flushed to zero while this lives: they would cost time and
// make results depend on the thread that computed them.
#pragma once

#if defined(__SSE2__)
#include <immintrin.h>
#endif

namespace ember {

class FlushToZero {
  public:
#if defined(__SSE2__)
    FlushToZero() : before_(_mm_getcsr()) {
        _mm_setcsr(before_ | 0x8040U);
    }
    ~FlushToZero() {
        _mm_setcsr(before_);
    }
#else
    FlushToZero() = default;
    ~FlushToZero() = default;
#endif
    FlushToZero(const FlushToZero&) = delete;
    FlushToZero& operator=(const FlushToZero&) = delete;

  private:
#if defined(__SSE2__)
    unsigned before_;
#endif
};

}  // namespace ember
