// Output gains, key listening and the sixteenth band: what was added to processors stays out of the
// way until it is used.

#include "core/base/units.h"
#include "core/dsp/compressor.h"
#include "core/dsp/equaliser.h"
#include "tests/support/support.h"

#include <cmath>

namespace ember {
namespace {

std::vector<float> through(const ProcessorType& type, const std::vector<double>& values,
                           std::vector<float> x) {
    const auto processor = type.make({48000.0, 1}, values);
    processor->reset();
    for (std::size_t at = 0; at + kBlock <= x.size(); at += kBlock) {
        const AudioBlock io{{x.data() + at, nullptr}, 1, kBlock};
        std::vector<float> key(x.begin() + static_cast<std::ptrdiff_t>(at),
                               x.begin() + static_cast<std::ptrdiff_t>(at + kBlock));
        processor->process(io, {{key.data(), nullptr}, 1, kBlock});
    }
    return x;
}

TEST(Output, GivesBackLevelWhereverAProcessorTakesIt) {
    const std::vector<float> x = test::noise(0.3, 48000);
    for (const char* id : {"gate", "eq", "expander", "de-harsher", "clipper"}) {
        const ProcessorType& type = processorType(id);
        const int index = parameterIndex(type.table, "output");
        ASSERT_GE(index, 0) << id;
        std::vector<double> values = standardValues(type.table);
        const std::vector<float> plain = through(type, values, x);
        values[static_cast<std::size_t>(index)] = 6.0;
        const std::vector<float> louder = through(type, values, x);
        for (std::size_t i = 1000; i < x.size(); i += 97)
            ASSERT_NEAR(louder[i], plain[i] * static_cast<float>(gainFromDb(6.0)),
                        1e-6F + 1e-5F * std::abs(plain[i]))
                << id;
    }
}

TEST(KeyListen, PlaysWhatTheCompressorHears) {
    const ProcessorType& type = processorType("compressor");
    std::vector<double> values = standardValues(type.table);
    values[Compressor::keyHighPass] = 2000.0;
    const std::vector<float> low = test::sine(200.0, 0.5, 48000, 48000.0);
    const auto level = [&](const std::vector<float>& x) {
        double sum = 0.0;
        for (std::size_t i = 24000; i < x.size(); ++i)
            sum += static_cast<double>(x[i]) * static_cast<double>(x[i]);
        return 10.0 * std::log10(sum / 24000.0);
    };
    const double played = level(through(type, values, low));
    values[Compressor::keyListen] = 1.0;
    // Second-order Butterworth, a decade below: 40 dB.
    EXPECT_NEAR(level(through(type, values, low)) - played, -40.0, 1.0);
}

TEST(Equaliser, HasSixteenBandsThatAllCount) {
    std::vector<double> values = standardValues(processorType("eq").table);
    for (int b = 0; b < kEqBands; ++b) {
        EXPECT_FALSE(eqBandInUse(values, b));
        values[static_cast<std::size_t>(eqIndex(b, EqField::on))] = 1.0;
        values[static_cast<std::size_t>(eqIndex(b, EqField::shape))] =
            static_cast<double>(EqShape::highPass);
        values[static_cast<std::size_t>(eqIndex(b, EqField::frequency))] = 100.0;
        values[static_cast<std::size_t>(eqIndex(b, EqField::slope))] = 7.0;
        EXPECT_TRUE(eqBandInUse(values, b));
    }
    // Sixteen of 48 dB each: what the curve says is what is heard, with no section left out.
    const double told = eqResponseDb(values, 90.0, 48000.0);
    const std::vector<float> x = test::sine(90.0, 0.5, 96000, 48000.0),
                             y = through(processorType("eq"), values, x);
    double in = 0.0, out = 0.0;
    for (std::size_t i = 72000; i < x.size(); ++i) {
        in += static_cast<double>(x[i]) * static_cast<double>(x[i]);
        out += static_cast<double>(y[i]) * static_cast<double>(y[i]);
    }
    EXPECT_LT(told, -60.0);
    EXPECT_NEAR(10.0 * std::log10(out / in), told, 0.5);
}

TEST(Equaliser, BandsAreCalledByWhatTheyDo) {
    EqBand band;
    band.on = true;
    const std::vector<double> rings{571.0};
    const auto label = [&](EqShape shape, double hertz) {
        band.shape = shape;
        band.frequency = hertz;
        return eqBandLabel(band, 196.0, rings);
    };
    EXPECT_EQ(label(EqShape::bell, 200.0), "note 196");
    EXPECT_EQ(label(EqShape::bell, 570.0), "ring 571");
    EXPECT_EQ(label(EqShape::notch, 575.0), "ring 571");
    EXPECT_EQ(label(EqShape::bell, 400.0), "boxiness");
    EXPECT_EQ(label(EqShape::bell, 4500.0), "snap");
    EXPECT_EQ(label(EqShape::highPass, 35.0), "rumble");
    EXPECT_EQ(label(EqShape::highShelf, 9000.0), "air");
    EXPECT_EQ(label(EqShape::notch, 1300.0), "point 1.3k");
}

}  // namespace
}  // namespace ember
