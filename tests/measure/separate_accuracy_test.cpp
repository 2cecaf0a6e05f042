// How well bleed is taken out of recorded kits, against each drum alone through the same
// microphones: part of ./run accuracy.
#include "core/base/fft.h"
#include "core/base/statistics.h"
#include "core/measure/separate/bleed_model.h"
#include "core/measure/sound/partials.h"
#include "core/measure/strokes/strokes.h"
#include "core/report/separate.h"
#include "tests/support/accuracy.h"
#include "tests/support/kit_truth.h"
#include "tests/support/recorded_kit.h"
#include "tests/support/support.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

double energyBetween(const std::vector<float>& x, double from, double to, double rate) {
    double sum = 1e-12;
    const auto first = static_cast<std::size_t>(std::max(0.0, from * rate));
    for (std::size_t i = first; i < std::min(x.size(), static_cast<std::size_t>(to * rate)); ++i)
        sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
    return sum;
}

// Energy of a signal over that of what it differs by, dB.
double againstTruth(const std::vector<float>& truth, const std::vector<float>& guess) {
    double energy = 1e-9, error = 1e-9;
    for (std::size_t i = 0; i < truth.size(); ++i) {
        const double t = static_cast<double>(truth[i]), e = t - static_cast<double>(guess[i]);
        energy += t * t;
        error += e * e;
    }
    return 10.0 * std::log10(energy / error);
}

// A gate that opens by the strokes, within a millisecond of them, and falls over 120 ms to -20 dB
// once the drum has sounded for `length` seconds.
std::vector<float> gatedByStrokes(const std::vector<float>& in, const std::vector<double>& strokes,
                                  double length, double rate) {
    std::vector<float> gain(in.size(), 0.1F);
    for (const double t : strokes) {
        const double from = (t - 0.001) * rate, hold = (t + length) * rate,
                     end = hold + 0.12 * rate;
        for (auto i = static_cast<std::size_t>(std::max(0.0, from));
             i < std::min(gain.size(), static_cast<std::size_t>(std::max(0.0, end))); ++i) {
            const double at = static_cast<double>(i);
            const double db = at <= hold ? 0.0 : -20.0 * (at - hold) / (end - hold);
            gain[i] = std::max(gain[i], static_cast<float>(std::pow(10.0, db / 20.0)));
        }
    }
    std::vector<float> out(in.size());
    for (std::size_t i = 0; i < in.size(); ++i) out[i] = gain[i] * in[i];
    return out;
}

// Energy that is heard beyond what is there in cells of time and frequency where neither the drum
// nor the recording has any, against the drum's; dB.
double artefacts(const std::vector<float>& truth, const std::vector<float>& recorded,
                 const std::vector<float>& guess) {
    constexpr std::size_t kWindow = 1024;
    constexpr double kNone = 1e-6;  // of the drum's loudest cell
    RealFft fft(kWindow);
    std::vector<std::array<std::vector<double>, 3>> cells;
    double loudest = 0.0, own = 1e-20, left = 1e-20;
    for (std::size_t at = 0; at + kWindow <= truth.size(); at += kWindow) {
        cells.emplace_back();
        std::size_t which = 0;
        for (const auto* x : {&truth, &recorded, &guess})
            addPower(fft, {x->data() + at, kWindow}, cells.back()[which++]);
        for (const double v : cells.back()[0]) {
            loudest = std::max(loudest, v);
            own += v;
        }
    }
    for (const auto& [drum, all, heard] : cells) {
        for (std::size_t k = 0; k < drum.size(); ++k) {
            const double there = std::max(drum[k], all[k]);
            if (there < kNone * loudest) left += std::max(0.0, heard[k] - there);
        }
    }
    return 10.0 * std::log10(left / own);
}

// A close microphone's own drum in what was made of it, against that drum alone.
struct Taken {
    double before = 0.0, after = 0.0, gate = 0.0;  // dB
    double artefacts = 0.0;                        // dB
    // Others under its strokes, turned down by 24 dB, against it: as the model has it, and in
    // truth.
    double underTold = 0.0, underTrue = 0.0;
};
struct Judgement {
    std::vector<Taken> mics;
    std::vector<double> ghostEnergy, ghostAttack;  // dB off
};

void judge(const test::RecordedKit& made, Judgement& out) {
    test::RecordedKit kit = made;
    kit.options.alone = true;
    kit.options.guests = false;
    // What is pressed or no microphone is no sum of drums.
    std::erase(kit.options.setup.more, "crush");
    std::erase(kit.options.setup.more, "trigger");
    const test::TruthKit truth(kit.options, kit.sound);
    const std::vector<Stroke> strokes = measureStrokes(truth.kit()).strokes;
    const BleedModel model = measureBleedModel(truth.kit(), strokes);
    const demo::Recording& recording = truth.recording();
    const double rate = truth.kit().sampleRate;
    for (const KitDrum& drum : truth.kit().drums) {
        const auto id = std::find(test::kDrumIds.begin(), test::kDrumIds.end(), drum.id);
        const int part = model.drumOf(drum.id);
        if (id == test::kDrumIds.end() || part < 0) continue;
        const auto d = static_cast<std::size_t>(id - test::kDrumIds.begin());
        for (const int m : drum.mics) {
            const MicSignal& mic = truth.kit().mics[static_cast<std::size_t>(m)];
            const auto track = std::find_if(recording.mics.begin(), recording.mics.end(),
                                            [&](const auto& t) { return t.id == mic.id; });
            if (track == recording.mics.end()) continue;
            const auto& alone =
                recording.alone[d][static_cast<std::size_t>(track - recording.mics.begin())];
            // A drum that is never struck has no truth to come near.
            if (test::peakDb(alone) < -60.0) continue;
            const std::vector<float> as(mic.channels[0].begin(), mic.channels[0].end()),
                guess = partOf(model, mic, 0, static_cast<std::size_t>(part));
            Taken taken{againstTruth(alone, as), againstTruth(alone, guess), -150.0,
                        artefacts(alone, as, guess)};
            constexpr float kDown = 0.063F;
            std::vector<float> others(as.size()), wrong(as.size());
            for (std::size_t i = 0; i < as.size(); ++i) {
                others[i] = kDown * (as[i] - guess[i]);
                wrong[i] = guess[i] + others[i] - alone[i];
            }
            std::vector<double> own;
            for (const Stroke& s : strokes) {
                if (s.drum == drum.id) own.push_back(s.time);
            }
            std::array<double, 4> under{};  // of the drum and of others, told and true
            for (const double t : own) {
                std::size_t which = 0;
                for (const std::vector<float>* x : std::initializer_list<const std::vector<float>*>{
                         &guess, &others, &alone, &wrong})
                    under[which++] += energyBetween(*x, t - 0.002, t + 0.1, rate);
            }
            taken.underTold = 10.0 * std::log10(under[1] / under[0]);
            taken.underTrue = 10.0 * std::log10(under[3] / under[2]);
            // Whatever length suits this microphone best: better than anybody can set it.
            for (const double length : {0.08, 0.15, 0.3, 0.6, 1.2})
                taken.gate = std::max(taken.gate,
                                      againstTruth(alone, gatedByStrokes(as, own, length, rate)));
            out.mics.push_back(taken);
            for (const demo::Stroke& s : recording.strokes) {
                if (s.drum != static_cast<demo::Drum>(d) || s.kind != demo::StrokeKind::ghost)
                    continue;
                const double t = s.time + truth.delay(s, mic.id);
                const auto off = [&](double seconds) {
                    return std::abs(10.0 *
                                    std::log10(energyBetween(guess, t - 0.001, t + seconds, rate) /
                                               energyBetween(alone, t - 0.001, t + seconds, rate)));
                };
                out.ghostEnergy.push_back(off(0.08));
                out.ghostAttack.push_back(off(0.008));
            }
        }
    }
}

template <typename Of>
double medianOf(const std::vector<Taken>& all, Of of) {
    std::vector<double> values;
    for (const Taken& t : all) values.push_back(of(t));
    return median(values);
}
double gained(const Taken& t) {
    return t.after - t.before;
}

void judgeAll(demo::MicSet mics, const std::string& set, double goal, double least, int kits,
              double seconds) {
    const auto verdict = [&](test::Half half) {
        Judgement out;
        const bool large = test::allKits() && test::haveLargeSet();
        for (int n = 0; n < kits; ++n)
            judge(test::recordedKit(half, n, mics, seconds, !large), out);
        return out;
    };
    const Judgement judged = verdict(test::Half::judged);
    ASSERT_FALSE(judged.mics.empty());
    const std::string what = "bleed taken out, " + set + ": ";
    const double middle = medianOf(judged.mics, gained);
    char text[32];
    std::snprintf(text, sizeof text, ">= %.0f dB", goal);
    test::accuracy(what + "own drum in its close microphones", text, middle, "dB", middle >= goal);
    EXPECT_GE(middle, least);
    const double more = medianOf(judged.mics, [](const Taken& t) { return t.after - t.gate; });
    test::accuracy(what + "more than a gate by strokes", ">= 6 dB", more, "dB", more >= 6.0);
    EXPECT_GT(more, 0.0);
    const double told = medianOf(judged.mics, [](const Taken&t) { return t.underTold; }),
                 is = medianOf(judged.mics, [](const Taken&t) { return t.underTrue; });
    test::accuracy(what + "under its strokes, others down by 24 dB, as told", "-", told, "dB",
                   true);
    test::accuracy(what + "the same in truth, what the drum itself lost included", "-", is, "dB",
                   true);
    const auto worse = std::count_if(judged.mics.begin(), judged.mics.end(), [](const Taken& t) {
        return gained(t) < -0.5 && t.before < 30.0;
    });
    const double share =
        100.0 * static_cast<double>(worse) / static_cast<double>(judged.mics.size());
    test::accuracy(what + "microphones made worse", "<= 0 %", share, "%", worse == 0);
    const double heard = medianOf(judged.mics, [](const Taken& t) { return t.artefacts; });
    test::accuracy(what + "heard where nothing sounded, against the drum", "<= -50 dB", heard, "dB",
                   heard <= -50.0);
    EXPECT_LT(heard, test::allKits() ? -50.0 : -40.0);
    if (!judged.ghostEnergy.empty()) {
        const double energy = median(judged.ghostEnergy), attack = median(judged.ghostAttack);
        test::accuracy(what + "ghost notes' energy, off by", "<= 1 dB", energy, "dB",
                       energy <= 1.0);
        test::accuracy(what + "ghost notes' attack, off by", "<= 1.5 dB", attack, "dB",
                       attack <= 1.5);
        EXPECT_LT(energy, 3.0);
        EXPECT_LT(attack, 4.0);
    }
    if (!test::allKits()) return;
    const double gap = medianOf(verdict(test::Half::fitted).mics, gained) - middle;
    test::accuracy("gap to kits fitted on, bleed taken out, " + set, "<= 2 dB", gap, "dB",
                   gap <= 2.0);
}

TEST(Accuracy, BleedTakenOutOfRecordedKits) {
    const bool all = test::allKits();
    judgeAll(demo::MicSet::full, "full set", 10.0, all ? 10.0 : 6.0, all ? 12 : 1,
             all ? 50.0 : 20.0);
    judgeAll(demo::MicSet::reduced, "kick, snare, overheads", 5.0, all ? 5.0 : 2.0, all ? 12 : 1,
             all ? 50.0 : 20.0);
}

// A sampled kit: every microphone hears its own drum alone, so there is nothing to take.
TEST(Accuracy, NothingIsTakenOfKitsWithoutBleed) {
    const bool all = test::allKits();
    double most = -150.0;
    int changed = 0, microphones = 0;
    for (int n = 0; n < (all ? 6 : 1); ++n) {
        test::RecordedKit kit = test::recordedKit(test::Half::judged, n, demo::MicSet::full,
                                                  all ? 50.0 : 20.0, !test::haveLargeSet());
        kit.options.setup.isolated = true;
        kit.options.noiseDb = -140.0;
        kit.options.guests = false;
        std::erase(kit.options.setup.more, "crush");
        std::erase(kit.options.setup.more, "trigger");
        const test::TruthKit truth(kit.options, kit.sound);
        const BleedModel model =
            measureBleedModel(truth.kit(), measureStrokes(truth.kit()).strokes);
        for (const KitDrum& drum : truth.kit().drums) {
            const int part = model.drumOf(drum.id);
            if (part < 0) continue;
            for (const int m : drum.mics) {
                const MicSignal& mic = truth.kit().mics[static_cast<std::size_t>(m)];
                if (model.channelOf(mic.id, 0) < 0) continue;
                const std::vector<float> guess =
                    partOf(model, mic, 0, static_cast<std::size_t>(part));
                double change = 1e-8;
                for (std::size_t i = 0; i < guess.size(); ++i)
                    change = std::max(change,
                                      std::abs(static_cast<double>(guess[i] - mic.channels[0][i])));
                change = 20.0 * std::log10(change);
                most = std::max(most, change);
                ++microphones;
                changed += change > -60.0 ? 1 : 0;
            }
        }
    }
    test::accuracy("bleed taken out of kits without any: largest change", "<= -60 dBFS", most,
                   "dBFS", most <= -60.0);
    const double share = 100.0 * changed / std::max(1, microphones);
    test::accuracy("the same: microphones changed by more than -60 dBFS", "<= 0 %", share, "%",
                   changed == 0);
    EXPECT_LT(most, -50.0);
}

}  // namespace
}  // namespace ember
