#include "core/base/error.h"
#include "core/base/fft.h"
#include "core/base/hash.h"
#include "core/base/random.h"
#include "core/base/units.h"
#include "core/dsp/cascade.h"
#include "core/dsp/delay_line.h"
#include "core/dsp/fast_math.h"
#include "core/dsp/smoother.h"
#include "tests/support/support.h"

#include <cmath>
#include <set>

namespace ember {
namespace {

TEST(Units, DecibelsAndGainsAreEachOthersInverse) {
    for (double db = -140.0; db <= 24.0; db += 3.7)
        EXPECT_NEAR(dbFromGain(gainFromDb(db)), db, 1e-9);
    EXPECT_EQ(dbFromGain(0.0), kSilenceDb);
    EXPECT_EQ(dbFromGain(-1.0), kSilenceDb);
    EXPECT_DOUBLE_EQ(framesFromMs(5.0, 48000.0), 240.0);
}

TEST(Hash, TellsContentsApartAndNamesAFileThatIsGone) {
    const test::TempFolder folder;
    test::writeText(folder / "a", "one");
    test::writeText(folder / "b", "one");
    test::writeText(folder / "c", "two");
    EXPECT_EQ(hashFile(folder / "a"), hashFile(folder / "b"));
    EXPECT_NE(hashFile(folder / "a"), hashFile(folder / "c"));
    EXPECT_EQ(hashFile(folder / "a"), hashBytes("one"));
    EXPECT_EQ(hashBytes("one").size(), 32U);
    EXPECT_NE(test::errorOf([&] { hashFile(folder / "gone"); }).find("gone"), std::string::npos);
}

TEST(Random, IsTheSameForASeedUniformAndNormal) {
    Random a(7), b(7), c(8);
    EXPECT_EQ(a.bits(), b.bits());
    EXPECT_NE(a.bits(), c.bits());
    double sum = 0.0, squares = 0.0, normal = 0.0, normalSquares = 0.0;
    constexpr int n = 200000;
    for (int i = 0; i < n; ++i) {
        const double u = a.uniform();
        ASSERT_GE(u, 0.0);
        ASSERT_LT(u, 1.0);
        sum += u;
        squares += u * u;
        const double g = a.normal();
        normal += g;
        normalSquares += g * g;
    }
    EXPECT_NEAR(sum / n, 0.5, 0.005);
    EXPECT_NEAR(squares / n, 1.0 / 3.0, 0.005);
    EXPECT_NEAR(normal / n, 0.0, 0.01);
    EXPECT_NEAR(normalSquares / n, 1.0, 0.02);
}

TEST(Fft, PutsASineIntoItsBinAndKeepsTheEnergy) {
    RealFft fft(1024);
    const auto tone = test::sine(48000.0 / 1024.0 * 37.0, 1.0, 1024, 48000.0);
    std::copy(tone.begin(), tone.end(), fft.time().begin());
    const auto spectrum = fft.forward();
    EXPECT_NEAR(std::abs(spectrum[37]), 512.0F, 0.01F);
    for (std::size_t k = 0; k < spectrum.size(); ++k) {
        if (k != 37) {
            EXPECT_LT(std::abs(spectrum[k]), 0.01F) << k;
        }
    }
}

TEST(FastMath, StaysWithinItsStatedErrors) {
    for (double x = 1e-9; x < 1e6; x *= 1.013)
        EXPECT_NEAR(static_cast<double>(fastLog2(static_cast<float>(x))),
                    std::log2(static_cast<double>(static_cast<float>(x))), 3e-6)
            << x;
    for (double x = -60.0; x <= 60.0; x += 0.137) {
        const double wanted = std::exp2(static_cast<double>(static_cast<float>(x)));
        EXPECT_NEAR(static_cast<double>(fastExp2(static_cast<float>(x))) / wanted, 1.0, 4e-7) << x;
    }
}

// The recursion written out, one section after the other.
std::vector<float> plainCascade(const std::vector<Biquad>& sections, const std::vector<float>& in) {
    std::vector<double> x(in.begin(), in.end());
    for (const Biquad& b : sections) {
        double x1 = 0, x2 = 0, y1 = 0, y2 = 0;
        for (double& v : x) {
            const double known = b.b1 * x1 + b.b2 * x2 - b.a2 * y2;
            const double y = (b.b0 * v - b.a1 * y1) + known;
            x2 = x1;
            x1 = v;
            y2 = y1;
            y1 = y;
            v = y;
        }
    }
    std::vector<float> out;
    for (const double v : x) out.push_back(static_cast<float>(v));
    return out;
}

TEST(Cascade, HoldsTheSamplesOfPlainScalarCode) {
    const auto in = test::noise(0.5, 64 * 40, 3);
    for (const int count : {1, 3, 8, 9, 17, 32}) {
        std::vector<Biquad> sections;
        for (int i = 0; i < count; ++i)
            sections.push_back(design(
                *analogueSections(EqShape::bell, 60.0 + 310.0 * i, i % 2 == 0 ? 6.0 : -6.0, 2.0, 2)
                     .begin(),
                48000.0));
        Cascade cascade;
        cascade.setSections(sections);
        auto out = in;
        for (std::size_t at = 0; at < out.size(); at += kBlock)
            cascade.process(out.data() + at, kBlock);
        EXPECT_EQ(out, plainCascade(sections, in)) << count << " sections";
    }
}

TEST(Cascade, DoesNotMindHowABlockIsCut) {
    std::vector<Biquad> sections(
        5, design(*analogueSections(EqShape::bell, 900.0, 9.0, 3.0, 2).begin(), 48000.0));
    const auto in = test::noise(0.5, 64 * 10, 5);
    Cascade whole, cut;
    whole.setSections(sections);
    cut.setSections(sections);
    auto a = in, b = in;
    for (std::size_t at = 0; at < a.size(); at += kBlock) whole.process(a.data() + at, kBlock);
    for (std::size_t at = 0; at < b.size();) {
        const int frames = static_cast<int>(std::min<std::size_t>(1 + at % 13, b.size() - at));
        cut.process(b.data() + at, frames);
        at += static_cast<std::size_t>(frames);
    }
    EXPECT_EQ(a, b);
}

TEST(DelayLine, DelaysByExactlyItsLength) {
    for (const int frames : {0, 1, 63, 64, 65, 500}) {
        DelayLine line;
        line.prepare(1, frames);
        const auto in = test::noise(0.5, 64 * 20, 2);
        auto out = in;
        for (std::size_t at = 0; at < out.size(); at += kBlock)
            line.process({{out.data() + at, nullptr}, 1, kBlock});
        for (std::size_t i = 0; i < out.size(); ++i)
            ASSERT_EQ(out[i], i < static_cast<std::size_t>(frames)
                                  ? 0.0F
                                  : in[i - static_cast<std::size_t>(frames)])
                << frames;
    }
}

TEST(Smoother, ArrivesSoonAndExactlyWithoutAKink) {
    Smoother s;
    s.prepare(48000.0);
    s.jump(1.0);
    s.aim(0.25);
    double before = 1.0, largest = 0.0;
    const double first = 1.0 - s.next();
    EXPECT_LT(first, 1e-4) << "the way begins with zero slope";
    int frames = 1;
    for (; s.moving() && frames < 48000; ++frames) {
        const double now = s.next();
        EXPECT_LE(now, before);
        largest = std::max(largest, before - now);
        before = now;
    }
    EXPECT_EQ(s.value(), 0.25);
    EXPECT_LT(frames, 48000 / 4);
}

}  // namespace
}  // namespace ember
