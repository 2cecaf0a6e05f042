#include "core/report/ceiling_check.h"

#include "core/base/error.h"
#include "core/base/fft.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/engine/render.h"
#include "core/report/bus_members.h"
#include "core/session/ceiling.h"
#include "core/session/graph.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>

namespace ember {
namespace {

constexpr double kLeastDb = -100.0;                         // under it nothing sounds
constexpr double kFirstThird = 25.0, kLastThird = 16000.0;  // Hz
constexpr double kEarFrom = 2000.0, kEarTo = 5000.0;
constexpr double kSounds = 40.0;  // dB under the loudest frame: still counted as sounding

// Exact centres, a thousand hertz being one of them (IEC 61260-1, base two).
std::vector<double> thirds() {
    std::vector<double> out;
    for (int n = -16; n <= 12; ++n) {
        const double hertz = 1000.0 * std::pow(2.0, n / 3.0);
        if (hertz > kFirstThird * 0.9 && hertz < kLastThird * 1.1) out.push_back(hertz);
    }
    return out;
}

// Power of every band in every window, averaged: frames after frames.
class Thirds {
  public:
    Thirds(const Ceiling& how, double rate) : rate_(rate), centres_(thirds()) {
        const double frames = std::max(64.0, how.windowMs * rate / 1000.0);
        const int length = 1 << static_cast<int>(std::lround(std::log2(frames)));
        fft_ = std::make_unique<RealFft>(length);
        window_.resize(static_cast<std::size_t>(length));
        double energy = 0.0;
        for (std::size_t i = 0; i < window_.size(); ++i) {
            window_[i] = static_cast<float>(
                0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i) / length));
            energy += static_cast<double>(window_[i] * window_[i]);
        }
        // A full-scale sine is 1: twice its mean square; both halves of the spectrum.
        scale_ = 4.0 / (energy * length);
        const double hop = seconds();
        keep_ = how.averageMs <= 0.0 ? 0.0 : std::exp(-hop / (how.averageMs / 1000.0));
    }
    [[nodiscard]] const std::vector<double>& centres() const { return centres_; }
    [[nodiscard]] double seconds() const { return 0.5 * fft_->length() / rate_; }
    [[nodiscard]] Spectra::Frames of(const AudioBuffer& audio) {
        const auto length = static_cast<std::size_t>(fft_->length()), hop = length / 2;
        Spectra::Frames out;
        std::vector<double> average(centres_.size(), 0.0);
        for (std::size_t at = 0; at + length <= audio.frames(); at += hop) {
            std::vector<double> now(centres_.size(), 0.0);
            for (const auto& side : audio.channels) {
                for (std::size_t i = 0; i < length; ++i)
                    fft_->time()[i] = side[at + i] * window_[i];
                add(fft_->forward(), now, 1.0 / static_cast<double>(audio.channels.size()));
            }
            for (std::size_t b = 0; b < now.size(); ++b)
                average[b] = at == 0 ? now[b] : keep_ * average[b] + (1.0 - keep_) * now[b];
            out.push_back(average);
        }
        return out;
    }

  private:
    // A bin counts for a band as far as it lies in it.
    void add(std::span<const std::complex<float>> bins, std::vector<double>& to,
             double share) const {
        const double wide = rate_ / fft_->length();
        for (std::size_t b = 0; b < centres_.size(); ++b) {
            const double low = centres_[b] * std::pow(2.0, -1.0 / 6.0),
                         high = std::min(centres_[b] * std::pow(2.0, 1.0 / 6.0), 0.5 * rate_);
            double sum = 0.0;
            for (auto k = static_cast<std::size_t>(std::max(0.0, std::floor(low / wide - 0.5)));
                 k < bins.size(); ++k) {
                const double from = (static_cast<double>(k) - 0.5) * wide, to_ = from + wide;
                if (from >= high) break;
                const double inside = std::min(to_, high) - std::max(from, low);
                if (inside > 0.0) sum += inside / wide * static_cast<double>(std::norm(bins[k]));
            }
            to[b] += share * scale_ * sum;
        }
    }

    double rate_;
    std::vector<double> centres_;
    std::unique_ptr<RealFft> fft_;
    std::vector<float> window_;
    double scale_ = 1.0, keep_ = 0.0;
};

double bandDb(double power) {
    return 10.0 * std::log10(power + 1e-15);
}

// Whose power is most of a sum of bands in one frame, or over all of them.
template <typename Power>
void nameMost(const std::vector<Spectra::Member>& parts, Power power, std::string& row,
              double& share) {
    double all = 0.0, most = 0.0;
    for (const Spectra::Member& part : parts) {
        const double own = power(part);
        all += own;
        if (own <= most) continue;
        most = own;
        row = part.row;
    }
    share = all > 0.0 ? most / all : 0.0;
}

// A third of an octave between two frequencies, on average.
double meanBetween(const std::vector<double>& centres, const std::vector<double>& bands,
                   double from, double to) {
    double sum = 0.0;
    int count = 0;
    for (std::size_t b = 0; b < centres.size(); ++b) {
        // The band at 2 kHz is of the region, the one at 5 kHz too.
        if (centres[b] < from * 0.98 || centres[b] > to * 1.02) continue;
        sum += bands[b];
        ++count;
    }
    return count > 0 ? sum / count : 0.0;
}

// In decibels on both sides, so that a spectrum that only leans has nothing there.
double earDb(const std::vector<double>& centres, const std::vector<double>& bands) {
    const double below = bandDb(meanBetween(centres, bands, 1000.0, 1600.0)),
                 above = bandDb(meanBetween(centres, bands, 6300.0, 10000.0));
    return bandDb(meanBetween(centres, bands, kEarFrom, kEarTo)) - 0.5 * (below + above);
}

std::vector<double> levelsOf(const Spectra& spectra) {
    std::vector<double> out;
    for (const auto& frame : spectra.sum) {
        double all = 0.0;
        for (const double power : frame) all += power;
        out.push_back(bandDb(all));
    }
    return out;
}
double loudestOf(const std::vector<double>& levels) {
    return levels.empty() ? -300.0 : *std::max_element(levels.begin(), levels.end());
}

}  // namespace

Spectra readSpectra(const Session& session, AudioStore& store, const std::string& bus, double from,
                    double to, const Progress& progress) {
    const Row& row = requireBus(session, bus);
    RenderOptions options;
    options.from = from;
    options.to = to < 0.0 ? from + 30.0 : to;
    options.withGuests = true;
    Thirds reader(session.ceiling.value_or(Ceiling{}), session.sampleRate);
    Spectra out{bus, reader.centres(), from, reader.seconds(), {}, {}};
    for (RowAudio& one : renderRows(session, store, options, progress)) {
        if (one.row == bus)
            out.sum = reader.of(one.audio);
        else if (hasSources(findRow(session, one.row)->kind) && leadsTo(session, one.row, bus))
            out.members.push_back({one.row, reader.of(one.audio)});
        one.audio = {};
    }
    if (loudestOf(levelsOf(out)) < kLeastDb)
        throw Error("Nothing sounds in “" + row.name + "” here; choose another place of the song.");
    return out;
}

CeilingCheck checkCeiling(const Session& session, const Spectra& spectra) {
    const Ceiling how = session.ceiling.value_or(Ceiling{});
    const auto& sum = spectra.sum;
    const std::vector<Spectra::Member>& parts = spectra.members;
    const std::vector<double> levels = levelsOf(spectra);
    const double loudest = loudestOf(levels);
    // The middle of a frame.
    const auto when = [&](std::size_t frame) {
        return spectra.from + spectra.step * (static_cast<double>(frame) + 1.0);
    };
    CeilingCheck out{spectra.bus, spectra.hertz, {}, {}, {}, {}};
    const auto lifted = [&](std::size_t b, double power) {
        return bandDb(power) + how.slopeDb * std::log2(out.hertz[b] / 1000.0);
    };
    for (std::size_t b = 0; b < out.hertz.size(); ++b) {
        std::vector<double> band;
        for (const auto& frame : sum) band.push_back(lifted(b, frame[b]));
        out.usual.push_back(quantile(band, 0.5));
        out.most.push_back(*std::max_element(band.begin(), band.end()));
        if (!session.ceiling) continue;
        const double line = ceilingAt(*session.ceiling, out.hertz[b]);
        Crossing c;
        c.hertz = out.hertz[b];
        std::size_t worst = 0, over = 0;
        for (std::size_t f = 0; f < band.size(); ++f) {
            if (band[f] <= line) continue;
            ++over;
            if (f == 0 || band[f - 1] <= line) ++c.times;
            if (band[f] > band[worst] || band[worst] <= line) worst = f;
        }
        if (over == 0) continue;
        c.share = static_cast<double>(over) / static_cast<double>(band.size());
        c.overDb = band[worst] - line;
        c.at = when(worst);
        nameMost(
            parts, [&](const Spectra::Member& part) { return part.bands[worst][b]; }, c.row,
            c.rowShare);
        out.crossings.push_back(std::move(c));
    }
    std::stable_sort(out.crossings.begin(), out.crossings.end(),
                     [](const Crossing& a, const Crossing& b) { return a.overDb > b.overDb; });
    std::vector<double> ear;
    double most = -300.0;
    for (std::size_t f = 0; f < sum.size(); ++f) {
        if (levels[f] < loudest - kSounds) continue;
        ear.push_back(earDb(out.hertz, sum[f]));
        if (ear.back() <= most) continue;
        most = ear.back();
        out.ear.at = when(f);
    }
    out.ear.usualDb = quantile(ear, 0.5);
    out.ear.mostDb = quantile(ear, 0.95);
    nameMost(
        parts,
        [&](const Spectra::Member& part) {
            double power = 0.0;
            for (const auto& frame : part.bands)
                power += meanBetween(out.hertz, frame, kEarFrom, kEarTo);
            return power;
        },
        out.ear.row, out.ear.rowShare);
    return out;
}

std::vector<std::string> ceilingText(const Session& session, const CeilingCheck& found) {
    const auto nameOf = [&](const std::string& id) {
        const Row* row = findRow(session, id);
        return row != nullptr ? row->name : id;
    };
    const auto whose = [&](const std::string& row, double share) {
        return row.empty()
                   ? std::string()
                   : ", most of it " + nameOf(row) + " (" + numberText(100.0 * share, 0) + " %)";
    };
    std::vector<std::string> out;
    if (!session.ceiling)
        out.emplace_back("There is no line yet.");
    else if (found.crossings.empty())
        out.emplace_back("Nothing crosses the line.");
    else {
        const Crossing& c = found.crossings.front();
        out.push_back(std::to_string(found.crossings.size()) +
                      (found.crossings.size() == 1 ? " band crosses" : " bands cross") +
                      " the line; furthest " + hertzText(c.hertz) + ", by " +
                      numberText(c.overDb, 1) + " dB" + whose(c.row, c.rowShare) + ".");
    }
    const EarRegion& e = found.ear;
    out.push_back("Between 2 and 5 kHz, where the ear is most sensitive, " + nameOf(found.bus) +
                  " usually has " + changeText(e.usualDb, 1) +
                  " dB against the bands on both sides, and " + changeText(e.mostDb, 1) +
                  " dB in one moment of twenty" + whose(e.row, e.rowShare) +
                  (e.usualDb >= kEarBuildsUpDb ? ": it builds up there." : "."));
    return out;
}

Ceiling ceilingOver(const CeilingCheck& found, const Ceiling& readBy, double roomDb) {
    Ceiling out = readBy;
    out.points.clear();
    for (double hertz = 31.25; hertz < 17000.0; hertz *= 2.0) {
        double most = kCeilingDb.low;
        for (std::size_t b = 0; b < found.hertz.size(); ++b) {
            // As far as to the next point: what lies between two is under both.
            if (std::abs(std::log2(found.hertz[b] / hertz)) <= 1.0)
                most = std::max(most, found.most[b]);
        }
        out.points.push_back(
            {hertz, std::clamp(std::ceil(most + roomDb), kCeilingDb.low, kCeilingDb.high)});
    }
    return out;
}

}  // namespace ember
