// A whole chain from one drum to its sibling, fitted to the other drum.
#pragma once

#include "core/measure/kit/kit_measure.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

// What a copy was fitted by; what is not known stays 1 and 0.
struct ChainFit {
    double tune = 1.0;     // frequencies below 1.5 kHz are multiplied by it
    double levelDb = 0.0;  // added to thresholds
    bool operator==(const ChainFit&) const = default;
};

// From the measured fundamentals of the two rows' drums and the usual peaks of their own strokes.
// Pure.
ChainFit fitChain(const Session& session, const KitMeasurement& measured, const std::string& from,
                  const std::string& to);

// `to` gets the processors of `from` in place of its own; align and seat stay, keys from elsewhere
// are let go, and every value is kept within its range. Throws Error for unknown rows or where the
// two are the same. Pure.
Session withChainCopied(const Session& session, const KitMeasurement& measured,
                        const std::string& from, const std::string& to);

// Rows a chain may be copied to, siblings (same family of drums) first.
std::vector<std::string> chainTargets(const Session& session, const std::string& from);

}  // namespace ember
