#include "core/dsp/equaliser.h"

#include "core/base/fft.h"
#include "core/base/units.h"
#include "tests/support/accuracy.h"
#include "tests/support/support.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

using test::kRates;

double prototypeDb(const EqBand& band, double f) {
    std::complex<double> h = 1.0;
    for (const AnalogueSection& s : eqSections(band)) h *= response(s, f);
    return dbFromGain(std::abs(h));
}

double digitalDb(const EqBand& band, double f, double rate) {
    std::complex<double> h = 1.0;
    for (const AnalogueSection& s : eqSections(band)) h *= response(design(s, rate), f, rate);
    return dbFromGain(std::abs(h));
}

struct Worst {
    double low = 0.0,
           high = 0.0;  // largest error up to 0.2 fs and from there to 0.375 fs, per section
};

Worst worstOf(const EqBand& band, double rate) {
    Worst worst;
    const double sections = std::max(1, eqSections(band).count);
    for (double x = 0.0; x <= 1.0; x += 1.0 / 160.0) {
        const double f = 20.0 * std::pow(0.375 * rate / 20.0, x);
        const double wanted = prototypeDb(band, f);
        if (wanted < -40.0) continue;
        const double error = std::abs(digitalDb(band, f, rate) - wanted) / sections;
        (f <= 0.2 * rate ? worst.low : worst.high) =
            std::max(f <= 0.2 * rate ? worst.low : worst.high, error);
    }
    return worst;
}

// Puts a family's worst errors on the table of ./run accuracy.
void report(const std::string& family, double rate, const Worst& w, double low = 0.1,
            double high = 0.5) {
    const std::string at = family + ", " + std::to_string(static_cast<int>(rate)) + " Hz";
    test::accuracy("EQ " + at + ", error per section up to 0.2 fs", "<= 0.1 dB", w.low, "dB",
                   w.low <= low);
    test::accuracy("EQ " + at + ", error per section up to 0.375 fs", "<= 0.5 dB", w.high, "dB",
                   w.high <= high);
}

class EqAccuracy : public testing::TestWithParam<double> {};

TEST_P(EqAccuracy, BellsFollowThePrototype) {
    for (const double f : {30.0, 200.0, 1000.0, 5000.0, 12000.0}) {
        for (const double q : {0.4, 0.7071, 2.0, 8.0}) {
            for (const double gain : {-18.0, -6.0, 6.0, 18.0}) {
                const Worst w = worstOf({true, EqShape::bell, f, gain, q, 2}, GetParam());
                report("bells", GetParam(), w);
                EXPECT_LE(w.low, 0.1) << f << " Hz, Q " << q << ", " << gain << " dB";
                EXPECT_LE(w.high, 0.5) << f << " Hz, Q " << q << ", " << gain << " dB";
            }
        }
    }
}

TEST_P(EqAccuracy, ShelvesAndTiltFollowThePrototype) {
    for (const EqShape shape : {EqShape::lowShelf, EqShape::highShelf, EqShape::tilt}) {
        for (const double f : {30.0, 200.0, 1000.0, 5000.0, 12000.0}) {
            for (const double q : {0.4, 0.7071, 2.0, 8.0}) {
                for (const double gain : {-18.0, 6.0, 18.0}) {
                    const Worst w = worstOf({true, shape, f, gain, q, 2}, GetParam());
                    report("shelves and tilt", GetParam(), w);
                    EXPECT_LE(w.low, 0.1) << f << " Hz, Q " << q << ", " << gain << " dB, shape "
                                          << static_cast<int>(shape);
                    EXPECT_LE(w.high, 0.5) << f << " Hz, Q " << q << ", " << gain << " dB, shape "
                                           << static_cast<int>(shape);
                }
            }
        }
    }
}

TEST_P(EqAccuracy, PassFiltersOfAllSlopesFollowThePrototype) {
    for (const EqShape shape : {EqShape::highPass, EqShape::lowPass}) {
        for (const double f : {30.0, 200.0, 1000.0, 5000.0, 12000.0}) {
            for (int order = 1; order <= 8; ++order) {
                const Worst w = worstOf({true, shape, f, 0.0, 0.7071, order}, GetParam());
                report("pass filters, 6 to 48 dB/oct", GetParam(), w);
                EXPECT_LE(w.low, 0.1) << f << " Hz, order " << order;
                EXPECT_LE(w.high, 0.5) << f << " Hz, order " << order;
            }
        }
    }
}

// Their Q ends at 3 (docs/measures.md): beyond it the goal would be missed near Nyquist.
TEST_P(EqAccuracy, ResonantPassFiltersFollowThePrototype) {
    for (const double f : {30.0, 1000.0, 5000.0, 12000.0}) {
        for (const double q : {1.5, 4.0, 8.0}) {
            for (const EqShape shape : {EqShape::highPass, EqShape::lowPass}) {
                const Worst w = worstOf({true, shape, f, 0.0, q, 2}, GetParam());
                report("resonant pass filters", GetParam(), w);
                EXPECT_LE(w.low, 0.1) << f << " Hz, Q " << q;
                EXPECT_LE(w.high, 0.5) << f << " Hz, Q " << q;
            }
        }
    }
}

TEST_P(EqAccuracy, NotchesFollowThePrototypeAndRemoveTheirCentre) {
    for (const double f : {50.0, 571.0, 5000.0, 12000.0}) {
        for (const double q : {0.7071, 4.0, 8.0}) {
            const EqBand band{true, EqShape::notch, f, 0.0, q, 2};
            const Worst w = worstOf(band, GetParam());
            report("notches", GetParam(), w);
            EXPECT_LE(w.low, 0.1) << f;
            EXPECT_LE(w.high, 0.5) << f;
            EXPECT_LT(digitalDb(band, f, GetParam()), -60.0) << f;
        }
    }
}

TEST_P(EqAccuracy, TheSoundHasTheCurveThatIsDrawn) {
    const double rate = GetParam();
    auto eq = test::make("eq", rate,
                         {{"b3.on", 1.0},
                          {"b3.frequency", 700.0},
                          {"b3.gain", -9.0},
                          {"b3.q", 3.0},
                          {"b7.on", 1.0},
                          {"b7.gain", 6.0},
                          {"b1.on", 1.0},
                          {"b1.slope", 3.0}});
    std::vector<float> impulse(32768, 0.0F);
    impulse[0] = 1.0F;
    const std::vector<float> out = test::run(*eq, impulse);
    RealFft fft(32768);
    std::copy(out.begin(), out.end(), fft.time().begin());
    const auto spectrum = fft.forward();
    std::vector<double> values = standardValues(processorType("eq").table);
    for (const auto& [id, v] : std::vector<std::pair<std::string, double>>{{"b3.on", 1.0},
                                                                           {"b3.frequency", 700.0},
                                                                           {"b3.gain", -9.0},
                                                                           {"b3.q", 3.0},
                                                                           {"b7.on", 1.0},
                                                                           {"b7.gain", 6.0},
                                                                           {"b1.on", 1.0},
                                                                           {"b1.slope", 3.0}}) {
        values[static_cast<std::size_t>(parameterIndex(processorType("eq").table, id))] = v;
    }
    for (std::size_t k = 40; k < 16000; k += 97) {
        const double f = static_cast<double>(k) * rate / 32768.0;
        EXPECT_NEAR(dbFromGain(static_cast<double>(std::abs(spectrum[k]))),
                    eqResponseDb(values, f, rate), 0.02)
            << f;
    }
}

INSTANTIATE_TEST_SUITE_P(Rates, EqAccuracy, testing::ValuesIn(kRates));

TEST(Equaliser, EverySectionIsStableAndMinimumPhase) {
    for (const double rate : kRates) {
        for (const EqShape shape :
             {EqShape::bell, EqShape::lowShelf, EqShape::highShelf, EqShape::highPass,
              EqShape::lowPass, EqShape::notch, EqShape::tilt}) {
            for (const double f : {16.0, 100.0, 3000.0, 20000.0}) {
                for (const double q : {0.1, 1.0, 16.0}) {
                    for (const double gain : {-24.0, 24.0}) {
                        for (const AnalogueSection& s : eqSections({true, shape, f, gain, q, 8})) {
                            const Biquad b = design(s, rate);
                            EXPECT_LT(std::abs(b.a2), 1.0) << f << " " << q;
                            EXPECT_LT(std::abs(b.a1), 1.0 + b.a2) << f << " " << q;
                        }
                    }
                }
            }
        }
    }
}

TEST(Equaliser, WithAllBandsOffChangesNoBit) {
    auto eq = test::make("eq", 48000.0);
    const auto in = test::noise(0.5, 5000);
    EXPECT_EQ(test::run(*eq, in), in);
}

TEST(Equaliser, TheAmountScalesGainsAndNothingElse) {
    std::vector<double> values = standardValues(processorType("eq").table);
    const auto set = [&](int band, EqField field, double v) {
        values[static_cast<std::size_t>(eqIndex(band, field))] = v;
    };
    set(2, EqField::on, 1.0);
    set(2, EqField::frequency, 500.0);
    set(2, EqField::gain, -8.0);
    for (const double amount : {0.0, 50.0, 100.0, 150.0}) {
        values[kEqAmount] = amount;
        EXPECT_NEAR(eqResponseDb(values, 500.0, 48000.0), -8.0 * amount / 100.0, 0.02);
    }
    // A high-pass stays where it is.
    set(2, EqField::on, 0.0);
    set(0, EqField::on, 1.0);
    set(0, EqField::frequency, 100.0);
    values[kEqAmount] = 100.0;
    const double whole = eqResponseDb(values, 50.0, 48000.0);
    values[kEqAmount] = 0.0;
    EXPECT_DOUBLE_EQ(eqResponseDb(values, 50.0, 48000.0), whole);
}

}  // namespace
}  // namespace ember
