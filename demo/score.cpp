// The drummer: a song of 4/4 bars with verses, choruses and fills.
//
// Timing wanders slowly (an autoregressive drift) and scatters from stroke to stroke by a few
// milliseconds; velocities breathe likewise. Such correlated fluctuation is what Rasanen et
// al. (PLoS ONE 10(6), 2015) found in a professional hi-hat track.

#include "core/base/random.h"
#include "demo/kit.h"

#include <algorithm>
#include <cmath>

namespace ember::demo {
namespace {

class Drummer {
  public:
    explicit Drummer(const KitOptions& options) : o_(options), random_(options.seed * 7919 + 17) {}

    std::vector<Stroke> play() {
        const double sixteenth = 15.0 / o_.tempo;
        const double start = 1.2;
        const int bars = static_cast<int>((o_.seconds - start - 1.5) / (16.0 * sixteenth));
        for (int bar = 0; bar < bars; ++bar) {
            barStart_ = start + bar * 16.0 * sixteenth;
            step_ = sixteenth;
            const bool fill = bar % 8 == 7, chorus = (bar / 8) % 2 == 1;
            if (bar > 0 && bar % (o_.dense ? 4 : 8) == 0)
                hit(Drum::crash, 0, 0.95, StrokeKind::accent);
            if (o_.dense)
                denseGroove(bar, chorus, fill ? 8 : 16);
            else
                groove(bar, chorus, fill ? 8 : 16);
            if (fill) playFill(bar);
        }
        std::stable_sort(strokes_.begin(), strokes_.end(),
                         [](const Stroke& a, const Stroke& b) { return a.time < b.time; });
        removeCollisions();
        return std::move(strokes_);
    }

  private:
    // A stroke on a sixteenth of the bar (fractions allowed).
    void hit(Drum drum, double at, double velocity, StrokeKind kind,
             Articulation articulation = Articulation::normal) {
        drift_ = 0.97 * drift_ + 0.0009 * random_.normal();
        breath_ = 0.95 * breath_ + 0.012 * random_.normal();
        const double scatter = (drum == Drum::hat ? 0.0035 : 0.003) * random_.normal();
        const double v =
            std::clamp(velocity * (1.0 + breath_ + 0.05 * random_.normal()), 0.05, 1.0);
        strokes_.push_back(
            {barStart_ + at * step_ + drift_ + scatter, drum, v, kind, articulation});
    }

    void groove(int bar, bool chorus, int until) {
        const auto within = [&](int at) { return at < until; };
        // Kick: always on one, then one of a few figures.
        static constexpr int figures[4][5] = {
            {0, 7, 8, -1, -1}, {0, 6, 10, -1, -1}, {0, 3, 8, 10, -1}, {0, 8, 11, 14, -1}};
        for (const int at : figures[(bar + (chorus ? 1 : 0)) % 4]) {
            if (at >= 0 && within(at))
                hit(Drum::kick, at, at == 0 ? 0.92 : 0.76,
                    at == 0 ? StrokeKind::accent : StrokeKind::normal);
        }
        for (const int at : {4, 12}) {
            if (!within(at)) continue;
            if (bar % 4 == 2 && at == 12)
                hitFlam(Drum::snare, at, 0.9);
            else
                hit(Drum::snare, at, chorus ? 0.95 : 0.88, StrokeKind::accent);
        }
        if (bar % 3 == 1 && within(10)) hit(Drum::snare, 10, 0.5, StrokeKind::normal);
        if (o_.ghosts) {
            for (const int at : {2, 7, 9, 15}) {
                if (within(at) && random_.uniform() < (chorus ? 0.35 : 0.65))
                    hit(Drum::snare, at, random_.uniform(0.10, 0.22), StrokeKind::ghost);
            }
        }
        for (int at = 0; at < until; at += 2) {
            const bool strong = at % 4 == 0;
            if (chorus) {
                hit(Drum::ride, at, strong ? 0.72 : 0.52,
                    strong ? StrokeKind::accent : StrokeKind::normal,
                    at == 0 && bar % 2 == 0 ? Articulation::bell : Articulation::normal);
                if (at % 8 == 4) hit(Drum::hat, at, 0.45, StrokeKind::normal, Articulation::pedal);
            } else {
                const bool open = at == 14 && bar % 2 == 1;
                hit(Drum::hat, at, strong ? 0.74 : 0.5,
                    strong ? StrokeKind::accent : StrokeKind::normal,
                    open ? Articulation::open : Articulation::closed);
            }
        }
        if (bar == 3) hitFlam(Drum::rackTom, 15, 0.7);
    }

    // Never a rest: sixteenths on hat or ride, doubled kicks, ghosts between, rolls into the fills,
    // cross-sticks in every third verse, crashes in the middle of bars, some of them choked.
    void denseGroove(int bar, bool chorus, int until) {
        static constexpr int kicks[4][6] = {
            {0, 3, 6, 8, 11, 14}, {0, 1, 7, 8, 10, 15}, {0, 2, 5, 8, 9, 13}, {0, 4, 7, 10, 11, 14}};
        for (const int at : kicks[(bar + (chorus ? 2 : 0)) % 4]) {
            if (at < until)
                hit(Drum::kick, at, at == 0 ? 0.94 : random_.uniform(0.6, 0.85),
                    at == 0 ? StrokeKind::accent : StrokeKind::normal);
        }
        const bool rim = !chorus && (bar / 8) % 3 == 2;
        for (int at = 0; at < until; ++at) {
            if (at == 4 || at == 12) {
                if (bar % 5 == 3 && at == 12)
                    hitFlam(Drum::snare, at, 0.9);
                else
                    hit(Drum::snare, at, rim ? 0.6 : random_.uniform(0.84, 0.96),
                        rim ? StrokeKind::normal : StrokeKind::accent,
                        rim ? Articulation::rim : Articulation::normal);
            } else if (o_.ghosts && at % 2 == 1 && random_.uniform() < 0.5) {
                hit(Drum::snare, at, random_.uniform(0.10, 0.22), StrokeKind::ghost);
            }
        }
        if (bar % 4 == 1 && until == 16) {
            for (int i = 0; i < 4; ++i)  // a roll into the next bar
                hit(Drum::snare, 14.0 + 0.5 * i, 0.35 + 0.1 * i, StrokeKind::normal);
        }
        const Drum top = chorus ? Drum::ride : Drum::hat;
        for (int at = 0; at < until; ++at) {
            const bool strong = at % 4 == 0;
            if (at % 2 == 1 && random_.uniform() < 0.25) continue;
            Articulation how = Articulation::closed;
            if (chorus) how = strong && bar % 2 == 0 ? Articulation::bell : Articulation::normal;
            if (!chorus && at == 14)
                how = bar % 2 == 0 ? Articulation::open : Articulation::halfOpen;
            hit(top, at, strong ? 0.76 : random_.uniform(0.4, 0.58),
                strong ? StrokeKind::accent : StrokeKind::normal, how);
            if (chorus && at % 8 == 4)
                hit(Drum::hat, at, 0.45, StrokeKind::normal, Articulation::pedal);
        }
        if (bar % 6 == 4 && until == 16)
            hit(Drum::crash, 10, 0.85, StrokeKind::accent, Articulation::choke);
        if (bar % 3 == 2 && until == 16) {
            hit(Drum::rackTom, 6, 0.75, StrokeKind::normal);
            hit(Drum::floorTom, 7, 0.8, StrokeKind::normal);
        }
    }

    void hitFlam(Drum drum, double at, double velocity) {
        hit(drum, at, velocity, StrokeKind::accent);
        Stroke grace = strokes_.back();
        grace.time -= random_.uniform(0.024, 0.036);
        grace.velocity *= 0.4;
        grace.kind = StrokeKind::flam;
        strokes_.push_back(grace);
    }

    void playFill(int bar) {
        static constexpr Drum plans[3][8] = {
            {Drum::snare, Drum::snare, Drum::rackTom, Drum::rackTom, Drum::rackTom, Drum::floorTom,
             Drum::floorTom, Drum::floorTom},
            {Drum::rackTom, Drum::rackTom, Drum::snare, Drum::floorTom, Drum::rackTom,
             Drum::rackTom, Drum::floorTom, Drum::floorTom},
            {Drum::snare, Drum::rackTom, Drum::floorTom, Drum::snare, Drum::rackTom, Drum::floorTom,
             Drum::rackTom, Drum::floorTom}};
        for (int i = 0; i < 8; ++i) {
            const bool strong = i % 2 == 0;
            hit(plans[(bar / 8) % 3][i], 8 + i, strong ? 0.86 : 0.68,
                strong ? StrokeKind::accent : StrokeKind::normal);
        }
        hit(Drum::kick, 8, 0.8, StrokeKind::normal);
        hit(Drum::kick, 12, 0.8, StrokeKind::normal);
    }

    // Two strokes of one drum closer than 20 ms cannot be played: the later one goes.
    void removeCollisions() {
        std::vector<Stroke> kept;
        double last[kDrums];
        std::fill(std::begin(last), std::end(last), -1.0);
        for (const Stroke& stroke : strokes_) {
            double& before = last[static_cast<int>(stroke.drum)];
            if (stroke.time - before < 0.02) continue;
            before = stroke.time;
            kept.push_back(stroke);
        }
        strokes_ = std::move(kept);
    }

    KitOptions o_;
    Random random_;
    std::vector<Stroke> strokes_;
    double barStart_ = 0.0, step_ = 0.1, drift_ = 0.0, breath_ = 0.0;
};

}  // namespace

std::vector<Stroke> playScore(const KitOptions& options) {
    return Drummer(options).play();
}

}  // namespace ember::demo
