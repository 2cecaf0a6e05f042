// Properties over random input (RapidCheck): the same cases in every run, unless RC_PARAMS asks for
// others, as `./run soak random` does.
#pragma once

#include <rapidcheck.h>

#include <cstdlib>
#include <string>
#include <utility>

namespace ember::test {

template <class Property>
bool holds(const std::string& what, Property&& property) {
    static const int seeded = setenv("RC_PARAMS", "seed=20", 0);
    return seeded == 0 && rc::check(what, std::forward<Property>(property));
}

// The same with at most so many cases, for properties that are dear to try; EMBER_CASES asks for
// more.
template <class Property>
bool holdsFor(int most, const std::string& what, Property&& property) {
    if (const char* cases = std::getenv("EMBER_CASES")) most = std::atoi(cases);
    int tried = 0;
    bool open = false;  // one has failed: it is being made smaller
    const bool held = holds(what, [&] {
        if (!open && ++tried > most) return;
        open = true;
        property();
        open = false;
    });
    return held && tried >= most;
}

}  // namespace ember::test
