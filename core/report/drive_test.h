// The drive test: the finished mix pushed against a ceiling in steps. What goes over first, at what
// drive, and by how much it is probably too loud.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <string>
#include <vector>

namespace ember {

inline constexpr double kDriveCeilingDb = -1.0;  // dBFS
inline constexpr double kDriveMost = 18.0;       // dB, by steps of one
inline constexpr double kDriveBreaksDb = -30.0;  // what goes over against the mix: a thousandth of
                                                 // the energy, where clipping is plainly heard
inline constexpr double kLongestDriven = 30.0;   // seconds; all parts of it are held in memory

struct DriveStep {
    double driveDb = 0.0;
    double overDb = -150.0;  // energy over the ceiling against that of the pushed mix
    std::vector<double>
        shares;  // of each row in what goes over, 0..1, together 1; none over: zeros
};

struct DriveTest {
    std::vector<std::string> rows;  // elements that are heard in the mix
    std::vector<DriveStep> steps;   // from 0 dB up to where it breaks, or to kDriveMost
    std::string first;              // the row that breaks first; empty where nothing does
    // By how much it has to come down until another one takes over at that drive, dB; at most 12.
    double tooLoudDb = 0.0;
    std::vector<std::string> sentences;
};

// The mix over [from, to) seconds, kLongestDriven of it at most. Each row is taken as its part of
// the mix, through its buses with the gains that the whole caused there. Any thread; throws Error
// or Cancelled.
DriveTest driveTest(const Session& session, AudioStore& store, double from, double to,
                    const Progress& progress = {});

}  // namespace ember
