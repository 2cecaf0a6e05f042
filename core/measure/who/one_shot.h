// What a single stroke in a file is, by its sound alone: for one-shots whose names say nothing.
#pragma once

#include "core/session/session.h"

#include <span>

namespace ember {

// What stands for a drum as a whole: a close microphone's role says which side it stands on.
// Unknown for what hears more than a drum, and for guests.
Role drumRole(Role role);

// The figures that are looked at; for tests and for whoever wants to know why.
struct OneShotTraits {
    double lowShare = 0.0;     // of the power below 130 Hz, 0..1
    double bodyShare = 0.0;    // 130 to 600 Hz
    double highShare = 0.0;    // above 5 kHz
    double centroidHz = 0.0;   // of the power
    double strongestHz = 0.0;  // the loudest partial between 40 and 400 Hz
    double fallSeconds = 0.0;  // from the loudest 10 ms until 20 dB below
};
OneShotTraits oneShotTraits(std::span<const float> samples, double sampleRate);

// Kick, snare, hat, tom, crash or ride, and how sure: never as sure as a person is, for nothing but
// one stroke is heard. Pure; any thread.
Likely oneShotRole(const OneShotTraits& traits);

}  // namespace ember
