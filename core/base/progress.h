// How long work reports what it does and hears that it should stop.
#pragma once

#include "core/base/error.h"

#include <functional>
#include <string>

namespace ember {

// Called with the fraction done (0..1) and what is being done; returns false to
// cancel. May be called from worker threads. An empty function means "nobody watches".
using Progress = std::function<bool(double fraction, const std::string& what)>;

inline void report(const Progress& progress, double fraction, const std::string& what) {
    if (progress && !progress(fraction, what)) throw Cancelled();
}

// A part of a longer job, from a fraction to another. `whole` must outlive it.
inline Progress within(const Progress& whole, double from, double to) {
    return [&whole, from, to](double fraction, const std::string& what) {
        return !whole || whole(from + (to - from) * fraction, what);
    };
}

}  // namespace ember
