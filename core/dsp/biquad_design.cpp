#include "core/dsp/biquad_design.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

namespace ember {
namespace {

using std::numbers::pi;

constexpr int kPoints = 40;
constexpr int kUnknowns = 5;
constexpr int kIterations = 6;

// Coefficients of c0 + c1 u + c2 u^2, u = sin^2(w/2) / scale.
struct Quadratic {
    double c0 = 0.0, c1 = 0.0, c2 = 0.0;
    [[nodiscard]] double at(double u) const { return c0 + u * (c1 + u * c2); }
};

Quadratic midpoint(const Quadratic& a, const Quadratic& b) {
    return {0.5 * (a.c0 + b.c0), 0.5 * (a.c1 + b.c1), 0.5 * (a.c2 + b.c2)};
}

double power(const AnalogueSection& s, double ratio) {
    const double r2 = ratio * ratio;
    const double nr = s.n0 - s.n2 * r2, ni = s.n1 * ratio;
    const double dr = s.d0 - s.d2 * r2, di = s.d1 * ratio;
    return (nr * nr + ni * ni) / (dr * dr + di * di);
}

// Digital polynomial 1 + p1 z^-1 + p2 z^-2 whose roots are exp(sT) of the analogue ones.
std::array<double, 2> matchedRoots(double c2, double c1, double c0, double w0) {
    if (c2 == 0.0) {
        return c1 == 0.0 ? std::array{0.0, 0.0} : std::array{-std::exp(-c0 / c1 * w0), 0.0};
    }
    const double half = 0.5 * c1 / c2;
    const double disc = half * half - c0 / c2;
    if (disc < 0.0) {
        const double radius = std::exp(-half * w0);
        return {-2.0 * radius * std::cos(std::sqrt(-disc) * w0), radius * radius};
    }
    const double root = std::sqrt(disc);
    const double r1 = std::exp((-half + root) * w0), r2 = std::exp((-half - root) * w0);
    return {-(r1 + r2), r1 * r2};
}

// |1 + p1 z^-1 + p2 z^-2|^2 as a quadratic in u.
Quadratic squaredMagnitude(double p1, double p2, double scale) {
    const double dc = 1.0 + p1 + p2, nyquist = 1.0 - p1 + p2;
    const double cross = -4.0 * p2;  // Vicanek's B2
    return {dc * dc, (nyquist * nyquist - dc * dc + 4.0 * cross) * scale,
            -4.0 * cross * scale * scale};
}

// Minimum-phase factor of a quadratic; false when it is not a squared magnitude.
bool factor(const Quadratic& q, double scale, std::array<double, 3>& out) {
    const double b0 = std::max(q.c0, 0.0);
    const double b1 = q.at(1.0 / scale);
    const double b2 = -0.25 * q.c2 / (scale * scale);
    if (!(b1 >= 0.0) || q.c0 < -1e-12) return false;
    const double r0 = std::sqrt(b0), r1 = std::sqrt(b1);
    const double w = 0.5 * (r0 + r1);
    double inner = w * w + b2;
    if (inner < -0.05 * w * w) return false;
    inner = std::max(inner, 0.0);  // a double zero, seen through rounding
    const double first = 0.5 * (w + std::sqrt(inner));
    if (first <= 0.0) return false;
    out = {first, 0.5 * (r0 - r1), -0.25 * b2 / first};
    return true;
}

// Least squares by Householder reflections, rows x unknowns, in place.
template <int Rows>
void solve(std::array<std::array<double, kUnknowns + 1>, Rows>& m, int unknowns,
           std::array<double, kUnknowns>& x) {
    std::array<double, kUnknowns> columnScale{};
    for (int c = 0; c < unknowns; ++c) {
        double norm = 0.0;
        for (const auto& row : m) norm += row[c] * row[c];
        columnScale[c] = norm > 0.0 ? 1.0 / std::sqrt(norm) : 1.0;
        for (auto& row : m) row[c] *= columnScale[c];
    }
    for (int c = 0; c < unknowns; ++c) {
        double norm = 0.0;
        for (int r = c; r < Rows; ++r) norm += m[r][c] * m[r][c];
        norm = std::sqrt(norm);
        if (norm < 1e-14) continue;
        const double alpha = m[c][c] > 0.0 ? -norm : norm;
        std::array<double, Rows> v{};
        double vv = 0.0;
        for (int r = c; r < Rows; ++r) {
            v[r] = m[r][c] - (r == c ? alpha : 0.0);
            vv += v[r] * v[r];
        }
        for (int k = c; k <= unknowns; ++k) {
            const int column = k == unknowns ? kUnknowns : k;
            double dot = 0.0;
            for (int r = c; r < Rows; ++r) dot += v[r] * m[r][column];
            dot *= 2.0 / vv;
            for (int r = c; r < Rows; ++r) m[r][column] -= dot * v[r];
        }
    }
    for (int c = unknowns - 1; c >= 0; --c) {
        double sum = m[c][kUnknowns];
        for (int k = c + 1; k < unknowns; ++k) sum -= m[c][k] * x[k];
        x[c] = std::abs(m[c][c]) > 1e-13 ? sum / m[c][c] : 0.0;
    }
    for (int c = 0; c < unknowns; ++c) x[c] *= columnScale[c];
}

struct Grid {
    std::array<double, kPoints> u{}, target{}, weight{};
};

// A third of the points in log steps (low corners), a third linear (the top
// octave), a third across the resonance.
double gridPoint(int i, double low, double w0, double width) {
    const double t = std::floor(i / 3.0) / std::floor((kPoints - 1) / 3.0);
    if (i % 3 == 0) return low * std::pow(0.76 * pi / low, t);
    if (i % 3 == 1) return (0.02 + 0.97 * t) * pi;
    return std::min(w0 * std::exp(width * (2.0 * t - 1.0)), 0.99 * pi);
}

// Points from well below the corner to Nyquist. The weights ask for a fifth of
// the tolerance below 0.2 fs, and let go of what lies under -40 dB or above 0.375 fs.
Grid makeGrid(const AnalogueSection& s, double sampleRate, double scale) {
    Grid grid;
    const double w0 = 2.0 * pi * s.frequency / sampleRate;
    const double low = std::min(0.02 * pi, 0.1 * w0);
    const double q = s.d1 > 0.0 ? std::sqrt(std::abs(s.d2 * s.d0)) / s.d1 : 0.5;
    const double width = std::clamp(1.2 / std::max(q, 0.3), 0.1, 1.5);
    for (int i = 0; i < kPoints; ++i) {
        const double w = gridPoint(i, low, w0, width);
        const double sine = std::sin(0.5 * w);
        grid.u[i] = sine * sine / scale;
        grid.target[i] = power(s, w / w0);
        double weight = w <= 0.41 * pi ? 5.0 : (w <= 0.76 * pi ? 1.5 : 0.02);
        if (grid.target[i] < 1e-4) weight *= 0.02;
        grid.weight[i] = weight;
    }
    return grid;
}

}  // namespace

AnalogueSections analogueSections(EqShape shape, double frequency, double gainDb, double q,
                                  int order) {
    const double a = std::pow(10.0, gainDb / 40.0);
    const double root = std::sqrt(a);
    AnalogueSections sections;
    switch (shape) {
        case EqShape::bell:
            sections.add({1.0, a / q, 1.0, 1.0, 1.0 / (a * q), 1.0, frequency});
            return sections;
        case EqShape::lowShelf:
            sections.add({a, a * root / q, a * a, a, root / q, 1.0, frequency});
            return sections;
        case EqShape::highShelf:
            sections.add({a * a, a * root / q, a, 1.0, root / q, a, frequency});
            return sections;
        case EqShape::weight: {
            // The dip lies two octaves up, takes half of what the shelf gives, and is broad.
            const double dip = std::pow(10.0, -0.5 * gainDb / 40.0), broad = 0.6;
            sections.add({a, a * root / q, a * a, a, root / q, 1.0, frequency});
            sections.add({1.0, dip / broad, 1.0, 1.0, 1.0 / (dip * broad), 1.0, 4.0 * frequency});
            return sections;
        }
        case EqShape::notch:
            sections.add({1.0, 0.0, 1.0, 1.0, 1.0 / q, 1.0, frequency});
            return sections;
        case EqShape::tilt:
            // First order, -gain/2 at the bottom, +gain/2 at the top.
            sections.add({0.0, a, 1.0 / a, 0.0, 1.0, 1.0, frequency});
            return sections;
        case EqShape::highPass:
        case EqShape::lowPass:
            break;
    }
    const bool high = shape == EqShape::highPass;
    order = std::clamp(order, 1, 8);
    if (order % 2 == 1) {
        sections.add(high ? AnalogueSection{0.0, 1.0, 0.0, 0.0, 1.0, 1.0, frequency}
                          : AnalogueSection{0.0, 0.0, 1.0, 0.0, 1.0, 1.0, frequency});
    }
    for (int k = 0; k < order / 2; ++k) {
        // Butterworth pole pairs; the sharpest carries the user's resonance.
        double pairQ = 0.5 / std::sin(pi * (2 * k + 1) / (2.0 * order));
        if (k == 0) pairQ *= q * std::numbers::sqrt2;
        sections.add(high ? AnalogueSection{1.0, 0.0, 0.0, 1.0, 1.0 / pairQ, 1.0, frequency}
                          : AnalogueSection{0.0, 0.0, 1.0, 1.0, 1.0 / pairQ, 1.0, frequency});
    }
    return sections;
}

std::complex<double> response(const AnalogueSection& s, double frequency) {
    const std::complex<double> jw(0.0, frequency / s.frequency);
    return (s.n2 * jw * jw + s.n1 * jw + s.n0) / (s.d2 * jw * jw + s.d1 * jw + s.d0);
}

std::complex<double> response(const Biquad& b, double frequency, double sampleRate) {
    const std::complex<double> z1 = std::polar(1.0, -2.0 * pi * frequency / sampleRate);
    return (b.b0 + z1 * (b.b1 + z1 * b.b2)) / (1.0 + z1 * (b.a1 + z1 * b.a2));
}

Biquad design(const AnalogueSection& input, double sampleRate) {
    AnalogueSection s = input;
    s.frequency = std::clamp(s.frequency, 1.0, 0.49 * sampleRate);
    const double w0 = 2.0 * pi * s.frequency / sampleRate;
    const double scale = std::pow(std::sin(0.5 * w0), 2.0);
    const Grid grid = makeGrid(s, sampleRate, scale);

    // Numerator basis: free quadratic, or one with its exact zeros.
    const bool notch = s.n1 == 0.0 && s.n0 > 0.0 && s.n2 > 0.0;
    // Near Nyquist one of the two zeros at DC is freed: the top octave needs it more.
    const bool doubleZero = s.n0 == 0.0 && s.n1 == 0.0 && s.frequency < 0.15 * sampleRate;
    const bool singleZero = s.n0 == 0.0 && !doubleZero;
    const bool exactDc = s.n0 > 0.0;
    const int numeratorUnknowns = notch || doubleZero ? 1 : 2;
    const double dcPower = exactDc ? s.n0 * s.n0 / (s.d0 * s.d0) : 0.0;
    const bool fitPoles = s.frequency > 0.02 * sampleRate;

    const auto p = matchedRoots(s.d2, s.d1, s.d0, w0);
    Quadratic d = squaredMagnitude(p[0], p[1], scale);
    const double norm = d.c0;
    d = {1.0, d.c1 / norm, d.c2 / norm};
    Quadratic n{dcPower, 0.0, 0.0};
    if (exactDc && !notch) {
        const auto z = matchedRoots(s.n2, s.n1, s.n0, w0);
        const Quadratic zeros = squaredMagnitude(z[0], z[1], scale);
        n = {dcPower, zeros.c1 * dcPower / zeros.c0, zeros.c2 * dcPower / zeros.c0};
    }
    Biquad best;
    double bestError = 1e300;

    for (int iteration = 0; iteration < kIterations; ++iteration) {
        const bool polesFree = fitPoles && iteration > 0;
        std::array<std::array<double, kUnknowns + 1>, kPoints> m{};
        const int unknowns = numeratorUnknowns + (polesFree ? 2 : 0);
        for (int i = 0; i < kPoints; ++i) {
            const double u = grid.u[i], t = grid.target[i];
            const double w = grid.weight[i] / (std::max(t, 1e-9) * d.at(u));
            int c = 0;
            double fixed = 0.0;
            if (notch) {
                m[i][c++] = w * (1.0 - u) * (1.0 - u);
            } else if (doubleZero) {
                m[i][c++] = w * u * u;
            } else {
                m[i][c++] = w * u;
                m[i][c++] = w * u * u;
                if (exactDc) fixed += dcPower;
            }
            if (polesFree) {
                m[i][c++] = -w * t * u;
                m[i][c++] = -w * t * u * u;
                m[i][kUnknowns] = w * (t - fixed);
            } else {
                m[i][kUnknowns] = w * (t * d.at(u) - fixed);
            }
        }
        std::array<double, kUnknowns> x{};
        std::array<double, 3> num{}, den{};
        solve<kPoints>(m, unknowns, x);
        Quadratic nextN{singleZero ? 0.0 : dcPower, x[0], x[1]};
        if (notch) nextN = {x[0], -2.0 * x[0], x[0]};
        if (doubleZero) nextN = {0.0, 0.0, x[0]};
        Quadratic nextD = d;
        if (polesFree) nextD = {1.0, x[numeratorUnknowns], x[numeratorUnknowns + 1]};

        const auto factorNumerator = [&] {
            if (!notch && !doubleZero) return factor(nextN, scale, num);
            const double gain = 0.25 * std::sqrt(std::max(x[0], 0.0)) / scale;
            num = {gain, -2.0 * gain * (notch ? std::cos(w0) : 1.0), gain};
            return true;
        };
        // A fit that overshoots into "negative power" is pulled back towards the last good one.
        bool valid = factor(nextD, scale, den) && factorNumerator();
        for (int halving = 0; !valid && halving < 5; ++halving) {
            nextD = midpoint(nextD, d);
            if (exactDc && !notch) nextN = midpoint(nextN, n);
            valid = factor(nextD, scale, den) && factorNumerator();
        }
        if (!valid) break;
        d = nextD;
        n = nextN;
        double worst = 0.0;
        for (int i = 0; i < kPoints; ++i) {
            const double got = n.at(grid.u[i]) / d.at(grid.u[i]);
            worst = std::max(worst,
                             grid.weight[i] * std::abs(std::log(std::max(got, 1e-12) /
                                                                std::max(grid.target[i], 1e-12))));
        }
        if (worst < bestError && std::isfinite(worst)) {
            bestError = worst;
            best = {num[0] / den[0], num[1] / den[0], num[2] / den[0], den[1] / den[0],
                    den[2] / den[0]};
        }
        if (!fitPoles) break;
    }
    return best;
}

}  // namespace ember
