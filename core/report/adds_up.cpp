#include "core/report/adds_up.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/measure/sound/spectrum.h"
#include "core/report/bus_members.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

constexpr double kTooFar = 1e-4;  // of power: 40 dB
constexpr double kFirstOctave = 31.25 / std::numbers::sqrt2,
                 kLowTop = 125.0 * std::numbers::sqrt2;  // Hz

// AddedPowers of a row, of all else, and of their sum and difference.
struct AddedPowers {
    double row = 0.0, rest = 0.0, sum = 0.0, difference = 0.0;

    AddedPowers& operator+=(const AddedPowers& o) {
        row += o.row;
        rest += o.rest;
        sum += o.sum;
        difference += o.difference;
        return *this;
    }
    [[nodiscard]] double db(double of) const { return addedDb(row, rest, of); }
};

}  // namespace

double addedDb(double one, double other, double sum) {
    if (one <= kTooFar * other || other <= kTooFar * one) return 0.0;
    return 10.0 * std::log10(std::max(1e-15 * (one + other), sum) / (one + other));
}

AddsUp addUp(std::span<const float> own, std::span<const float> rest, double rate) {
    std::vector<float> sum(own.size()), difference(own.size());
    for (std::size_t i = 0; i < own.size(); ++i) {
        sum[i] = rest[i] + own[i];
        difference[i] = rest[i] - own[i];
    }
    SpectrumMeter meters[4]{SpectrumMeter(rate), SpectrumMeter(rate), SpectrumMeter(rate),
                            SpectrumMeter(rate)};
    const std::span<const float> signals[4]{own, rest, sum, difference};
    for (std::size_t i = 0; i < 4; ++i) meters[i].add(signals[i]);
    AddsUp out;
    AddedPowers all, lows;
    for (double low = kFirstOctave; low < 16000.0; low *= 2.0) {
        const double high = 2.0 * low;
        const AddedPowers p{meters[0].power(low, high), meters[1].power(low, high),
                            meters[2].power(low, high), meters[3].power(low, high)};
        out.bands.push_back({low, high,
                             10.0 * std::log10(std::max(1e-15, p.row) / std::max(1e-15, p.rest)),
                             p.db(p.sum), p.db(p.difference)});
        all += p;
        if (high < kLowTop * 1.01) lows += p;
    }
    out.sumDb = all.db(all.sum);
    out.flippedDb = all.db(all.difference);
    out.lowDb = lows.db(lows.sum);
    out.lowFlippedDb = lows.db(lows.difference);
    return out;
}

AddsUp addsUp(const Session& session, AudioStore& store, const std::string& id, double from,
              double to, const Progress& progress) {
    const Row* row = findRow(session, id);
    if (row == nullptr || row->parent.empty())
        throw Error("Only what feeds a bus adds up with what stands beside it; choose such a row.");
    std::vector<float> own, rest;
    for (const RowAudio& one :
         busMembers(session, store, row->parent, row->kind == RowKind::guest, from, to, progress)) {
        std::vector<float> mono = sidesMixed(one.audio);
        if (one.row == id) {
            own = std::move(mono);
        } else if (rest.empty()) {
            rest = std::move(mono);
        } else {
            for (std::size_t i = 0; i < rest.size(); ++i) rest[i] += mono[i];
        }
    }
    if (own.empty() || rest.empty())
        throw Error("Nothing stands beside “" + row->name + "” in what it feeds.");
    AddsUp out = addUp(own, rest, session.sampleRate);
    out.into = row->parent;
    return out;
}

std::string addsUpText(const Session& session, const std::string& id, const AddsUp& found) {
    const auto name = [&](const std::string& row) {
        const Row* r = findRow(session, row);
        return r != nullptr ? r->name : row;
    };
    const auto lost =
        std::min_element(found.bands.begin(), found.bands.end(),
                         [](const AddedBand& a, const AddedBand& b) { return a.sumDb < b.sumDb; });
    std::string text = name(id) + " in " + name(found.into) + ": the sum has " +
                       changeText(found.sumDb, 1) +
                       " dB against both powers (3: they agree, 0: "
                       "nothing to do with each other, below: they cancel), its lows " +
                       changeText(found.lowDb, 1) + " dB";
    if (lost != found.bands.end() && lost->sumDb < -1.0)
        text += "; most is lost from " + numberText(lost->low, 0) + " to " +
                numberText(lost->high, 0) + " Hz, " + changeText(lost->sumDb, 1) + " dB";
    text += ".";
    if (found.lowFlippedDb > found.lowDb + 0.5)
        text += " Turned over, the lows would have " + changeText(found.lowFlippedDb, 1) + " dB.";
    return text;
}

}  // namespace ember
