// The drive test: the finished mix pushed against a ceiling in steps. What goes over first, whose
// strokes give way first, at what drive, and by how much it is probably too loud.
#pragma once

#include "core/audio/store.h"
#include "core/base/progress.h"
#include "core/session/session.h"

#include <optional>
#include <string>
#include <vector>

namespace ember {

inline constexpr double kDriveCeilingDb = -1.0;  // dBFS
inline constexpr double kDriveMost = 18.0;       // dB, by steps of one
inline constexpr double kDriveBreaksDb = -30.0;  // what goes over against the mix: a thousandth of
                                                 // the energy, where clipping is plainly heard
inline constexpr double kFrontGivesWayDb = 1.0;  // what the fronts of a drum's strokes lose
inline constexpr double kLongestDriven = 30.0;   // seconds; all parts of it are held in memory

struct DriveStep {
    double driveDb = 0.0;
    double overDb = -150.0;  // energy over the ceiling against that of the pushed mix
    std::vector<double>
        shares;  // of each row in what goes over, 0..1, together 1; none over: zeros
    // What cutting it off takes of the first 20 ms of each drum's strokes, of its own rows' part of
    // the mix, median, dB.
    std::vector<double> frontsDb;
};

// The row that breaks first, lower: tried on its part of the mix, so what its buses make of it
// then is not in it.
struct DriveOffer {
    double lowerDb = 0.0;            // how much lower, dB, more than 0
    std::optional<double> breaksDb;  // the drive at which the mix breaks then; none: it does not
    std::string first;               // what breaks first then; empty where nothing does
};

struct DriveTest {
    std::vector<std::string> rows;   // elements that are heard in the mix
    std::vector<std::string> drums;  // ids, that are struck three times or more
    std::vector<DriveStep> steps;    // from 0 dB up to where it breaks and fronts give way, or to
                                     // kDriveMost
    std::optional<double> breaksDb;  // the first drive past kDriveBreaksDb
    std::string first;               // the row that breaks first; empty where nothing does
    double share = 0.0;              // of what goes over there, 0..1
    // By how much it has to come down until another one breaks first, or none, dB; at most 12.
    double tooLoudDb = 0.0;
    // Whose strokes lose kFrontGivesWayDb of their front first, and at what drive; none: nobody's.
    std::string givesWay;
    std::optional<double> givesWayDb;
    std::optional<DriveOffer> offer;  // where one row is too loud and it would help
    std::vector<std::string> sentences;
};

// The mix over [from, to) seconds, kLongestDriven of it at most. Each row is taken as its part of
// the mix, through its buses with the gains that the whole caused there. Strokes are those of the
// session. Any thread; throws Error or Cancelled.
DriveTest driveTest(const Session& session, AudioStore& store, double from, double to,
                    const Progress& progress = {});

// The offer as a sentence, which is its reason in the logbook; empty without one. Pure.
std::string driveOfferText(const Session& session, const DriveTest& test);
// What is offered, done: the row's fader, and what is sent before it. Throws Error without an
// offer, or where the row is gone. Pure.
Session withDriveOffer(Session session, const DriveTest& test);

// The mix pushed by so much (0 to kDriveMost dB) into the ceiling, which cuts off, as a session to
// be heard: its main feeds another one that does that. Pure.
Session withMixPushed(Session session, double driveDb);

}  // namespace ember
