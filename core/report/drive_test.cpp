#include "core/report/drive_test.h"

#include "core/base/number.h"
#include "core/base/units.h"
#include "core/engine/render.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

constexpr double kLowerMost = 12.0, kLowerStep = 0.5;  // dB
constexpr double kWorthSaying = 0.5;                   // dB

// What goes over the ceiling at a drive, with one row (-1: none) at another gain.
DriveStep push(const std::vector<RowAudio>& parts, double driveDb, int lowered, double gain) {
    DriveStep step{driveDb, kSilenceDb, std::vector<double>(parts.size(), 0.0)};
    const double drive = gainFromDb(driveDb), ceiling = gainFromDb(kDriveCeilingDb);
    const auto gainOf = [&](std::size_t row) {
        return static_cast<int>(row) == lowered ? gain : 1.0;
    };
    double over = 0.0, whole = 0.0;
    const std::size_t frames = parts.empty() ? 0 : parts.front().audio.frames();
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < frames; ++i) {
            double sum = 0.0;
            for (std::size_t r = 0; r < parts.size(); ++r)
                sum += gainOf(r) * static_cast<double>(parts[r].audio.channels[c][i]);
            sum *= drive;
            whole += sum * sum;
            const double excess = std::abs(sum) - ceiling;
            if (excess <= 0.0) continue;
            over += excess * excess;
            // Who pushes that way, by how much; who pushes the other way has no part in it.
            const double way = sum > 0.0 ? drive : -drive;
            double pushing = 0.0;
            for (std::size_t r = 0; r < parts.size(); ++r)
                pushing += std::max(
                    0.0, way * gainOf(r) * static_cast<double>(parts[r].audio.channels[c][i]));
            for (std::size_t r = 0; r < parts.size(); ++r)
                step.shares[r] +=
                    excess * excess *
                    std::max(0.0,
                             way * gainOf(r) * static_cast<double>(parts[r].audio.channels[c][i])) /
                    pushing;
        }
    }
    if (over > 0.0) {
        for (double& share : step.shares) share /= over;
        step.overDb = std::max(kSilenceDb, 10.0 * std::log10(over / whole));
    }
    return step;
}

std::size_t largest(const std::vector<double>& shares) {
    return static_cast<std::size_t>(std::max_element(shares.begin(), shares.end()) -
                                    shares.begin());
}

}  // namespace

DriveTest driveTest(const Session& session, AudioStore& store, double from, double to,
                    const Progress& progress) {
    RenderOptions options;
    options.from = from;
    options.to = to < 0.0 ? from + kLongestDriven : std::min(to, from + kLongestDriven);
    const std::vector<RowAudio> parts =
        renderParts(session, store, options, within(progress, 0.0, 0.6));
    DriveTest test;
    for (const RowAudio& part : parts) test.rows.push_back(part.row);
    for (double drive = 0.0; drive <= kDriveMost; drive += 1.0) {
        report(progress, 0.6 + 0.3 * drive / kDriveMost, "Pushing the mix");
        test.steps.push_back(push(parts, drive, -1, 1.0));
        if (test.steps.back().overDb > kDriveBreaksDb) break;
    }
    const DriveStep& last = test.steps.back();
    if (last.overDb <= kDriveBreaksDb) {
        test.sentences.push_back("Pushed by " + numberText(kDriveMost, 0) +
                                 " dB nothing breaks yet.");
        return test;
    }
    const std::size_t at = largest(last.shares);
    test.first = test.rows[at];
    while (test.tooLoudDb < kLowerMost && parts.size() > 1) {
        report(progress, 0.9 + 0.1 * test.tooLoudDb / kLowerMost, "Pushing the mix");
        test.tooLoudDb += kLowerStep;
        const DriveStep lower =
            push(parts, last.driveDb, static_cast<int>(at), gainFromDb(-test.tooLoudDb));
        if (largest(lower.shares) != at || lower.overDb <= kSilenceDb) break;
    }
    const std::string name = findRow(session, test.first)->name;
    test.sentences.push_back("Pushed by " + numberText(last.driveDb, 0) + " dB it breaks, and " +
                             name + " first: " + numberText(100.0 * last.shares[at], 0) +
                             " % of what goes over is its.");
    if (test.tooLoudDb > kWorthSaying && last.shares[at] > 0.5)
        test.sentences.push_back(name + " is probably " + numberText(test.tooLoudDb, 1) +
                                 " dB too loud: that much lower, another one takes over.");
    return test;
}

}  // namespace ember
