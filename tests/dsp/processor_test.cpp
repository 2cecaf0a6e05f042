// What every processor must do, read off its table.

#include "core/dsp/processor.h"

#include "core/base/error.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/dsp/gate.h"
#include "core/dsp/seat.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <cmath>
#include <set>

namespace ember {
namespace {

TEST(ProcessorTypes, HaveTablesThatHoldTogether) {
    std::set<std::string> types;
    for (const ProcessorType& type : processorTypes()) {
        EXPECT_TRUE(types.insert(type.id).second);
        EXPECT_FALSE(type.doc.empty());
        std::set<std::string> ids;
        for (const Parameter& p : type.table) {
            EXPECT_TRUE(ids.insert(p.id).second) << type.id << "." << p.id;
            EXPECT_LT(p.minimum, p.maximum) << p.id;
            EXPECT_GE(p.standard, p.minimum) << p.id;
            EXPECT_LE(p.standard, p.maximum) << p.id;
            EXPECT_FALSE(p.doc.empty()) << p.id;
            EXPECT_TRUE(p.scale != Scale::logarithmic || p.minimum > 0.0) << p.id;
            EXPECT_TRUE(p.scale != Scale::choice ||
                        static_cast<double>(p.choices.size()) == p.maximum + 1.0)
                << p.id;
        }
    }
    EXPECT_EQ(types.size(), 22U);
}

TEST(Parameters, ReadBackWhatTheyWrite) {
    for (const ProcessorType& type : processorTypes()) {
        for (const Parameter& p : type.table) {
            for (double share = 0.0; share <= 1.0; share += 0.25) {
                const double value = fromPosition(p, share);
                EXPECT_NEAR(toPosition(p, value),
                            p.scale == Scale::toggle || p.scale == Scale::choice
                                ? toPosition(p, value)
                                : share,
                            1e-9);
                const double back = parseValue(p, formatValue(p, value));
                EXPECT_NEAR(back, value, 0.006 * (p.maximum - p.minimum) + 0.006 * std::abs(value))
                    << type.id << "." << p.id << " " << formatValue(p, value);
            }
        }
    }
}

TEST(Parameters, UnderstandWhatEngineersType) {
    const auto& table = processorType("eq").table;
    const Parameter& f = table[static_cast<std::size_t>(parameterIndex(table, "b1.frequency"))];
    EXPECT_DOUBLE_EQ(parseValue(f, "2.5k"), 2500.0);
    EXPECT_DOUBLE_EQ(parseValue(f, " 80 Hz "), 80.0);
    EXPECT_DOUBLE_EQ(parseValue(f, "1,5 kHz"), 1500.0);
    const Parameter& shape = table[static_cast<std::size_t>(parameterIndex(table, "b1.shape"))];
    EXPECT_DOUBLE_EQ(parseValue(shape, "low-shelf"), 1.0);
    const auto& gate = processorType("gate").table;
    EXPECT_DOUBLE_EQ(parseValue(gate[0],
                                "\xE2\x88\x92"
                                "28.5 dB"),
                     -28.5)
        << "the minus sign that is shown is read too";
}

TEST(Parameters, RefuseNonsenseWithWhatIsAccepted) {
    const Parameter& threshold = processorType("gate").table[0];
    for (const char* text : {"", "loud", "1e999", "nan", "-500", "12", "3 apples", "--3", "inf"}) {
        const std::string sentence = test::errorOf([&] { parseValue(threshold, text); });
        EXPECT_NE(sentence.find("80.0 dB"), std::string::npos) << text << ": " << sentence;
        EXPECT_EQ(sentence.back(), '.') << sentence;
    }
}

// Any movement of any continuous control on a 100 Hz sine: nothing above 2 kHz is heard of it.
TEST(Processors, MoveWithoutClicks) {
    constexpr double rate = 48000.0;
    for (const ProcessorType& type : processorTypes()) {
        for (std::size_t i = 0; i < type.table.size(); ++i) {
            const Parameter& p = type.table[i];
            // A look-ahead changes the plan; the plan's own fade covers it. Delay is the clip
            // source's.
            if (p.structural || p.id == "delay") continue;
            // The bands of the equaliser are alike: one stands for all.
            if (type.id == "eq" && !p.id.starts_with("b3.")) continue;
            std::vector<std::pair<std::string, double>> start;
            // A band that moves while everything else about it does.
            if (type.id == "eq")
                start = {{"b3.on", 1.0},          {"b3.gain", 9.0},     {"b3.range", -9.0},
                         {"b3.threshold", -40.0}, {"b3.attack", 200.0}, {"b3.release", 2000.0}};
            if (p.id == "b3.attack" || p.id == "b3.release") continue;
            if (type.id == "compressor") start = {{"threshold", -30.0}};
            // The threshold of a gate opens and closes it: that fade is the gate's work, at its
            // slowest here.
            if (type.id == "gate")
                start = {{"attack", 50.0},
                         {"release", 300.0},
                         {"threshold", -40.0},
                         {"look-ahead", 0.0}};
            if (type.id == "gate" && (p.id == "attack" || p.id == "key-low-pass" ||
                                      p.id == "key-high-pass" || p.id == "release"))
                continue;
            if (type.id == "compressor" && (p.id == "attack" || p.id == "release"))
                continue;  // a shape, not a level: below
            if (type.id == "expander" || type.id == "de-harsher")
                start = {{"attack", 200.0}, {"release", 2000.0}};
            if ((type.id == "expander" || type.id == "de-harsher") &&
                (p.id == "attack" || p.id == "release" || p.id == "hold"))
                continue;
            // The beginning of the tone comes back before its clicks are looked for.
            if (type.id == "delay") start = {{"left", 50.0}, {"feedback", 0.0}};
            // Steps in level and time are what a crusher is for.
            if (type.id == "crusher") continue;
            // What bends waves makes harmonics of its own: heard softly it is straight, and what is
            // left are its clicks.
            const bool bends = type.home == Column::colour || type.id == "limiter";
            const double amplitude = bends ? 0.5e-3 : 0.5;
            auto processor = test::make(type.id, rate, start, type.id == "seat" ? 2 : 1);
            std::vector<float> out = test::sine(100.0, amplitude, 48000, rate), right = out;
            Random random(i + 1);
            for (std::size_t at = 0; at + kBlock <= out.size(); at += kBlock) {
                if (at > 9600 && at % (kBlock * 3) == 0)
                    processor->setValue(static_cast<int>(i), fromPosition(p, random.uniform()));
                AudioBlock io{
                    {out.data() + at, right.data() + at}, type.id == "seat" ? 2 : 1, kBlock};
                processor->process(io, io);
            }
            out.resize(out.size() / kBlock * kBlock);
            const std::vector<float> tail(out.begin() + 4800, out.end());
            const double residue =
                test::peakAboveDb(tail, 2150.0, rate) - dbFromGain(amplitude / 0.5);
            test::accuracy("parameter moves of " + type.id + " on 100 Hz: residue above 2 kHz",
                           "<= -60 dBFS", residue, "dB", residue <= -60.0);
            EXPECT_LT(residue, -60.0) << type.id << "." << p.id;
        }
    }
}

TEST(Processors, ForgetEverythingOnReset) {
    const auto in = test::noise(0.5, 6400, 3);
    for (const ProcessorType& type : processorTypes()) {
        if (type.id == "seat") continue;
        auto processor = test::make(type.id, 48000.0);
        const auto first = test::run(*processor, in);
        processor->reset();
        EXPECT_EQ(test::run(*processor, in), first) << type.id;
    }
}

TEST(Seat, HoldsConstantPowerAndIsUntouchedInTheMiddle) {
    for (double pan = -1.0; pan <= 1.0; pan += 0.125) {
        const PanGains g = panMono(pan);
        EXPECT_NEAR(g.left * g.left + g.right * g.right, 2.0, 1e-12) << pan;
    }
    EXPECT_EQ(panMono(0.0).left, 1.0);
    EXPECT_EQ(panMono(0.0).right, 1.0);
    EXPECT_NEAR(panMono(-1.0).right, 0.0, 1e-12);
    EXPECT_EQ(panStereo(0.0).left, 1.0);
    EXPECT_EQ(panStereo(0.5).right, 1.0);
}

TEST(Seat, WidthLeavesTheMonoSumUnchanged) {
    for (const double width : {0.0, 50.0, 150.0, 200.0}) {
        auto seat = test::make("seat", 48000.0, {{"width", width}}, 2);
        std::vector<float> l = test::noise(0.4, kBlock, 1), r = test::noise(0.4, kBlock, 2);
        const auto l0 = l, r0 = r;
        AudioBlock io{{l.data(), r.data()}, 2, kBlock};
        seat->process(io, io);
        for (int i = 0; i < kBlock; ++i) {
            const auto k = static_cast<std::size_t>(i);
            EXPECT_NEAR(l[k] + r[k], l0[k] + r0[k], 1e-6);
            EXPECT_NEAR(l[k] - r[k], (l0[k] - r0[k]) * static_cast<float>(width / 100.0), 1e-6);
        }
    }
}

TEST(Parameters, TimesTakeNoteValuesOfTheTempo) {
    const Parameter& hold = processorType("gate").table[static_cast<std::size_t>(Gate::hold)];
    EXPECT_DOUBLE_EQ(parseValue(hold, "1/4", 120.0), 500.0);
    EXPECT_DOUBLE_EQ(parseValue(hold, "1/8", 120.0), 250.0);
    EXPECT_DOUBLE_EQ(parseValue(hold, "1/8.", 120.0), 375.0);
    EXPECT_NEAR(parseValue(hold, " 1/16T ", 90.0), 1000.0 / 9.0, 1e-9);
    // Without a tempo, of no known length, too long, or for something that is no time.
    EXPECT_NE(test::errorOf([&] { parseValue(hold, "1/8"); }), "");
    EXPECT_NE(test::errorOf([&] { parseValue(hold, "1/5", 120.0); }), "");
    EXPECT_NE(test::errorOf([&] { parseValue(hold, "1/1.", 60.0); }), "");
    EXPECT_NE(test::errorOf(
                  [&] { parseValue(processorType("gate").table[Gate::threshold], "1/8", 120.0); }),
              "");
    for (const std::string& note : noteValues()) EXPECT_GT(noteMilliseconds(note, 100.0), 0.0);
}

}  // namespace
}  // namespace ember
