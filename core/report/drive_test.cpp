#include "core/report/drive_test.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/clipper.h"
#include "core/engine/render.h"
#include "core/report/headroom.h"
#include "core/report/punch.h"
#include "core/session/routing.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

constexpr double kLowerMost = 12.0, kLowerStep = 0.5;  // dB
constexpr double kWorthSaying = 0.5;                   // dB
constexpr double kFrontLong = 0.02;                    // seconds of a stroke

struct DrivenMix {
    std::vector<RowAudio> parts;
    std::array<std::vector<double>, 2> sum;
};

struct DrivenDrum {
    std::vector<std::size_t> rows;  // its parts of the mix
    std::vector<double> times;
};

DrivenMix drivenMix(std::vector<RowAudio> parts) {
    DrivenMix mix{std::move(parts), {}};
    const std::size_t frames = mix.parts.empty() ? 0 : mix.parts.front().audio.frames();
    for (std::size_t c = 0; c < 2; ++c) {
        mix.sum[c].assign(frames, 0.0);
        for (const RowAudio& part : mix.parts) {
            for (std::size_t i = 0; i < frames; ++i)
                mix.sum[c][i] += static_cast<double>(part.audio.channels[c][i]);
        }
    }
    return mix;
}

// What goes over the ceiling at a drive, with one row (-1: none) at another gain.
DriveStep push(const DrivenMix& mix, double driveDb, int lowered = -1, double gain = 1.0) {
    DriveStep step{driveDb, kSilenceDb, std::vector<double>(mix.parts.size(), 0.0), {}};
    const double drive = gainFromDb(driveDb), ceiling = gainFromDb(kDriveCeilingDb);
    double over = 0.0, whole = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        const auto of = [&](std::size_t row, std::size_t i) {
            return (static_cast<int>(row) == lowered ? gain : 1.0) *
                   static_cast<double>(mix.parts[row].audio.channels[c][i]);
        };
        for (std::size_t i = 0; i < mix.sum[c].size(); ++i) {
            double sum = mix.sum[c][i];
            if (lowered >= 0)
                sum -= (1.0 - gain) *
                       static_cast<double>(
                           mix.parts[static_cast<std::size_t>(lowered)].audio.channels[c][i]);
            sum *= drive;
            whole += sum * sum;
            const double excess = std::abs(sum) - ceiling;
            if (excess <= 0.0) continue;
            over += excess * excess;
            // Who pushes that way, by how much; who pushes the other way has no part in it.
            const double way = sum > 0.0 ? drive : -drive;
            double pushing = 0.0;
            for (std::size_t r = 0; r < mix.parts.size(); ++r)
                pushing += std::max(0.0, way * of(r, i));
            for (std::size_t r = 0; r < mix.parts.size(); ++r)
                step.shares[r] += excess * excess * std::max(0.0, way * of(r, i)) / pushing;
        }
    }
    if (over > 0.0) {
        for (double& share : step.shares) share /= over;
        step.overDb = std::max(kSilenceDb, 10.0 * std::log10(over / whole));
    }
    return step;
}

// What the ceiling takes of the fronts of a drum's own part, in its strokes at `times` seconds from
// the first frame, dB: others that push over it at the same moment take from it too.
double frontLost(const DrivenMix& mix, double driveDb, const DrivenDrum& drum, double rate) {
    const double drive = gainFromDb(driveDb), ceiling = gainFromDb(kDriveCeilingDb);
    std::vector<double> lost;
    for (const double t : drum.times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, t * rate));
        const std::size_t to =
            std::min(mix.sum[0].size(), from + static_cast<std::size_t>(kFrontLong * rate));
        double before = 0.0, after = 0.0;
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = from; i < to; ++i) {
                double own = 0.0;
                for (const std::size_t r : drum.rows)
                    own += static_cast<double>(mix.parts[r].audio.channels[c][i]);
                const double pushed = std::abs(drive * mix.sum[c][i]),
                             kept = pushed > ceiling ? ceiling / pushed : 1.0;
                before += own * own;
                after += own * own * kept * kept;
            }
        }
        if (before > 0.0) lost.push_back(10.0 * std::log10(before / after));
    }
    return median(std::move(lost));
}

std::size_t largest(const std::vector<double>& of) {
    return static_cast<std::size_t>(std::max_element(of.begin(), of.end()) - of.begin());
}

// How much lower a row has to be until another one breaks first, from the drive on at which it
// does; nothing where kLowerMost does not do.
std::optional<DriveOffer> lowerUntilAnother(const DrivenMix& mix, double drive, std::size_t row,
                                            const Progress& progress) {
    for (double lower = kLowerStep; lower <= kLowerMost; lower += kLowerStep) {
        report(progress, 0.9 + 0.1 * lower / kLowerMost, "Pushing the mix");
        // The lower it is the later it breaks.
        DriveStep step = push(mix, drive, static_cast<int>(row), gainFromDb(-lower));
        while (step.overDb <= kDriveBreaksDb && drive < kDriveMost) {
            drive += 1.0;
            step = push(mix, drive, static_cast<int>(row), gainFromDb(-lower));
        }
        if (step.overDb <= kDriveBreaksDb) return DriveOffer{lower, {}, {}};
        const std::size_t first = largest(step.shares);
        if (first != row) return DriveOffer{lower, drive, mix.parts[first].row};
    }
    return {};
}

std::string nameOf(const Session& session, const std::string& row) {
    const Row* r = findRow(session, row);
    return r != nullptr ? r->name : row;
}

std::vector<std::string> driveText(const Session& session, const DriveTest& test) {
    std::vector<std::string> out;
    if (!test.breaksDb) {
        out.push_back("Pushed by " + numberText(kDriveMost, 0) + " dB nothing breaks yet.");
    } else {
        const std::string name = nameOf(session, test.first);
        out.push_back("Pushed by " + numberText(*test.breaksDb, 0) + " dB it breaks, and " + name +
                      " first: " + numberText(100.0 * test.share, 0) +
                      " % of what goes over is its.");
    }
    if (test.givesWayDb)
        out.push_back("The strokes of " + drumName(session, test.givesWay) +
                      " give way first: pushed by " + numberText(*test.givesWayDb, 0) +
                      " dB they lose " + numberText(kFrontGivesWayDb, 0) +
                      " dB of their front or more.");
    return out;
}

}  // namespace

DriveTest driveTest(const Session& session, AudioStore& store, double from, double to,
                    const Progress& progress) {
    RenderOptions options;
    options.from = from;
    options.to = to < 0.0 ? from + kLongestDriven : std::min(to, from + kLongestDriven);
    const DrivenMix mix =
        drivenMix(renderParts(session, store, options, within(progress, 0.0, 0.6)));
    DriveTest test;
    for (const RowAudio& part : mix.parts) test.rows.push_back(part.row);
    std::vector<DrivenDrum> drums;
    for (auto& [drum, at] : struckIn(session, mainRow(session), options.from, options.to)) {
        test.drums.push_back(drum);
        drums.push_back({{}, std::move(at)});
        for (std::size_t r = 0; r < mix.parts.size(); ++r) {
            if (findRow(session, mix.parts[r].row)->drum == drum) drums.back().rows.push_back(r);
        }
    }
    std::size_t breaks = 0;
    for (double drive = 0.0; drive <= kDriveMost; drive += 1.0) {
        report(progress, 0.6 + 0.3 * drive / kDriveMost, "Pushing the mix");
        DriveStep step = push(mix, drive);
        for (const DrivenDrum& drum : drums)
            step.frontsDb.push_back(frontLost(mix, drive, drum, session.sampleRate));
        if (!test.breaksDb && step.overDb > kDriveBreaksDb) {
            test.breaksDb = drive;
            breaks = test.steps.size();
        }
        if (!test.givesWayDb && !drums.empty() &&
            step.frontsDb[largest(step.frontsDb)] >= kFrontGivesWayDb) {
            test.givesWayDb = drive;
            test.givesWay = test.drums[largest(step.frontsDb)];
        }
        test.steps.push_back(std::move(step));
        if (test.breaksDb && (test.givesWayDb || drums.empty())) break;
    }
    if (test.breaksDb) {
        const std::vector<double>& shares = test.steps[breaks].shares;
        const std::size_t at = largest(shares);
        test.first = test.rows[at];
        test.share = shares[at];
        const auto lower = mix.parts.size() > 1
                               ? lowerUntilAnother(mix, *test.breaksDb, at, progress)
                               : std::optional<DriveOffer>();
        test.tooLoudDb = lower ? lower->lowerDb : kLowerMost;
        if (test.tooLoudDb > kWorthSaying && test.share > 0.5) test.offer = lower;
    }
    test.sentences = driveText(session, test);
    if (test.offer) test.sentences.push_back(driveOfferText(session, test));
    return test;
}

std::string driveOfferText(const Session& session, const DriveTest& test) {
    if (!test.offer) return {};
    const DriveOffer& o = *test.offer;
    const std::string lower = nameOf(session, test.first) + " is probably " +
                              numberText(o.lowerDb, 1) + " dB too loud: that much lower, ";
    if (!o.breaksDb)
        return lower + "nothing breaks up to " + numberText(kDriveMost, 0) + " dB, in place of " +
               numberText(*test.breaksDb, 0) + ".";
    return lower + "the mix breaks at " + numberText(*o.breaksDb, 0) + " dB in place of " +
           numberText(*test.breaksDb, 0) + ", and " + nameOf(session, o.first) + " first.";
}

Session withDriveOffer(Session session, const DriveTest& test) {
    if (!test.offer) throw Error("No row is too loud by this test; nothing is lowered.");
    requireRow(session, test.first);
    return withTrim(std::move(session), -test.offer->lowerDb,
                    [&](const Row& row) { return row.id == test.first; });
}

Session withMixPushed(Session session, double driveDb) {
    const std::string name = "Pushed";
    Row pushed;
    pushed.id = makeRowId(session, name);
    pushed.name = name;
    pushed.kind = RowKind::main;
    Stage clipper = makeStage("clipper");
    clipper.on = true;
    clipper.values[Clipper::ceiling] = kDriveCeilingDb;
    clipper.values[Clipper::drive] = driveDb;
    pushed.chain = {std::move(clipper), makeStage("seat")};
    Row& main = requireRow(session, mainRow(session));
    main.kind = RowKind::bus;
    main.parent = pushed.id;
    // Behind what feeds it, as every bus is.
    const auto at = std::find_if(session.rows.begin(), session.rows.end(),
                                 [&](const Row& row) { return row.id == main.id; });
    session.rows.insert(at + 1, std::move(pushed));
    return session;
}

}  // namespace ember
