#include "core/advise/bleed_heard.h"

#include "core/advise/bus_heard.h"
#include "core/base/error.h"
#include "core/base/fft.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/bleed.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/separate/kept_models.h"
#include "core/measure/sound/partials.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

constexpr double kEarly = 0.1;          // seconds of a stroke that are called its first
constexpr double kBeforeStroke = 0.02;  // seconds ahead of a stroke that are no longer between
constexpr std::size_t kCoverWindow = 2048;
// Of the others' power under a drum's strokes: what is wrong of the drum when they are taken whole,
// at the median of recorded kits (tests/measure/separate_accuracy_test.cpp).
constexpr double kLostWithIt = 0.4;

// What a drum is turned to, its step's amount and switch included.
double turnedGain(const Row& row, const std::string& drum) {
    const Stage* stage = findBleed(row);
    if (stage == nullptr || !stage->on) return 1.0;
    const double amount = 0.01 * stage->values[Bleed::amount], db = drumGain(row, drum);
    if (amount >= 1.0 && db <= kBleedLowest) return 0.0;
    return gainFromDb(amount * db);
}

std::vector<std::string> partsOf(const BleedModel& model) {
    std::vector<std::string> parts = model.drums;
    parts.emplace_back(kNoDrum);
    return parts;
}

// The microphones alone, behind align and bleed, at their faders.
Session micsAlone(const Session& session, const BleedModel& model, const std::string& hash) {
    std::vector<std::string> kept;
    for (const Row& row : session.rows) {
        if (row.kind == RowKind::element && playsRecordings(row) && model.channelOf(row.id, 0) >= 0)
            kept.push_back(row.id);
    }
    const std::vector<std::string> mics = kept;
    kept.push_back(mainRow(session));
    Session out = withOnlyRows(session, kept);
    for (Row& row : out.rows) {
        row.solo = false;
        row.sends.clear();
        if (row.kind == RowKind::main) row.chain = makeChain(RowKind::main);
        for (Stage& stage : row.chain) {
            if (stage.type != "align" && stage.type != "seat") stage.on = false;
            stage.key.clear();
            stage.curves.clear();
        }
    }
    for (const std::string& mic : mics) out = withBleed(std::move(out), mic, hash);
    return out;
}

double energyOf(std::span<const float> x) {
    double sum = 0.0;
    for (const float v : x) sum += static_cast<double>(v) * static_cast<double>(v);
    return sum;
}

double decibels(double power) {
    return power > 1e-15 ? std::max(kSilenceDb, 10.0 * std::log10(power)) : kSilenceDb;
}

// A microphone with its parts at their gains; one of them left out where `without` names it.
std::vector<float> mixedOf(const BleedHeard::Mic& mic, const std::vector<double>& gains,
                           std::size_t without) {
    std::vector<float> out(mic.parts.empty() ? 0 : mic.parts.front().size(), 0.0F);
    for (std::size_t part = 0; part < mic.parts.size(); ++part) {
        if (part == without || gains[part] == 0.0) continue;
        const auto gain = static_cast<float>(gains[part]);
        for (std::size_t i = 0; i < out.size(); ++i) out[i] += gain * mic.parts[part][i];
    }
    return out;
}

constexpr std::size_t kNoPart = static_cast<std::size_t>(-1);

// How long a drum's strokes sound on in its own microphone, seconds.
double soundsFor(const std::string& drum) {
    switch (drumFamily(drum)) {
        case DrumFamily::tom:
            return 0.6;
        case DrumFamily::cymbal:
            return 1.0;
        default:
            return 0.3;
    }
}

struct Stretch {
    std::size_t from = 0, to = 0;  // frames
};
Stretch around(double time, double before, double after, double rate, std::size_t frames) {
    const auto at = [&](double t) {
        return std::min(frames, static_cast<std::size_t>(std::max(0.0, t * rate)));
    };
    return {at(time - before), at(time + after)};
}

// Power of octaves from 62.5 Hz up over the windows that lie between a drum's strokes.
constexpr std::size_t kOctaves = 8;
std::array<double, kOctaves> octavesOf(const std::vector<float>& x,
                                       const std::vector<bool>& between, double rate) {
    std::array<double, kOctaves> out{};
    RealFft fft(static_cast<int>(kCoverWindow));
    std::vector<double> power;
    for (std::size_t at = 0; at + kCoverWindow <= x.size(); at += kCoverWindow) {
        if (between[at] && between[at + kCoverWindow - 1])
            addPower(fft, {x.data() + at, kCoverWindow}, power);
    }
    const double bin = rate / static_cast<double>(kCoverWindow);
    for (std::size_t k = 1; k < power.size(); ++k) {
        const double octave = std::log2(static_cast<double>(k) * bin / 62.5) + 0.5;
        if (octave >= 0.0 && octave < static_cast<double>(kOctaves))
            out[static_cast<std::size_t>(octave)] += power[k];
    }
    return out;
}

}  // namespace

BleedHeard hearBleed(const Session& session, AudioStore& store, const std::vector<Stroke>& strokes,
                     const std::string& hash, PartsAs as, const Progress& progress) {
    const auto model = findBleedModel(store, hash);
    if (model == nullptr)
        throw Error("What the kit was taken apart by is gone; take it apart anew.");
    const Session mics = micsAlone(session, *model, hash);
    BleedHeard out;
    out.model = hash;
    out.drums = model->drums;
    out.sampleRate = session.sampleRate;
    RenderOptions options;
    options.from = fullestFrom(strokes);
    options.to = options.from + kLongestHeard;
    const std::vector<std::string> parts = partsOf(*model);
    for (std::size_t part = 0; part < parts.size(); ++part) {
        Session one = mics;
        for (Row& row : one.rows) {
            Stage* const stage = findBleed(row);
            if (stage == nullptr) continue;
            const Row& asTurned = *findRow(session, row.id);
            stage->on = true;
            stage->values = standardValues(processorType("bleed").table);
            const double gain = as == PartsAs::turned ? turnedGain(asTurned, parts[part]) : 1.0;
            for (const std::string& other : parts)
                stage->drums.insert_or_assign(other, kBleedLowest);
            stage->drums.insert_or_assign(
                parts[part], gain <= 0.0
                                 ? kBleedLowest
                                 : std::clamp(dbFromGain(gain), kBleedLowest, kBleedHighest));
        }
        const double done = static_cast<double>(part), all = static_cast<double>(parts.size());
        report(progress, done / all, "Listening to every drum");
        std::vector<RowAudio> rows =
            renderRows(one, store, options, within(progress, done / all, (done + 1.0) / all));
        std::erase_if(rows, [&](const RowAudio& r) {
            return requireRow(one, r.row).kind != RowKind::element;
        });
        if (out.mics.empty()) out.mics.resize(rows.size());
        for (std::size_t m = 0; m < rows.size(); ++m) {
            out.mics[m].row = rows[m].row;
            std::vector<float> mono = std::move(rows[m].audio.channels[0]);
            const std::vector<float>& right = rows[m].audio.channels[1];
            for (std::size_t i = 0; i < mono.size(); ++i) mono[i] += right[i];
            out.mics[m].parts.push_back(std::move(mono));
        }
    }
    for (Stroke s : strokes) {
        if (s.time < options.from || s.time >= options.to) continue;
        s.time -= options.from;
        out.strokes.push_back(std::move(s));
    }
    return out;
}

PartGains gainsOf(const Session& session, const BleedHeard& heard) {
    PartGains out;
    for (const BleedHeard::Mic& mic : heard.mics) {
        const Row& row = *findRow(session, mic.row);
        out.emplace_back();
        for (const std::string& drum : heard.drums) out.back().push_back(turnedGain(row, drum));
        out.back().push_back(turnedGain(row, std::string(kNoDrum)));
    }
    return out;
}

PartGains unturned(const BleedHeard& heard) {
    return {heard.mics.size(), std::vector<double>(heard.drums.size() + 1, 1.0)};
}

BleedFigures bleedFigures(const BleedHeard& heard, const PartGains& gains, std::size_t mic,
                          const std::string& drum, const PartGains& recorded, double taken) {
    BleedFigures out;
    const auto own = static_cast<std::size_t>(
        std::find(heard.drums.begin(), heard.drums.end(), drum) - heard.drums.begin());
    const BleedHeard::Mic& at = heard.mics[mic];
    if (own >= heard.drums.size() || at.parts.empty()) return out;
    const double rate = heard.sampleRate;
    const std::vector<float> whole = mixedOf(at, gains[mic], kNoPart),
                             others = mixedOf(at, gains[mic], own),
                             bled = mixedOf(at, recorded[mic], own);
    const std::size_t frames = whole.size();
    std::vector<bool> between(frames, true);
    double ownEnergy = 0.0, underEnergy = 0.0, bledEnergy = 0.0;
    std::size_t early = 0;
    std::vector<double> standing;
    double last = -10.0;
    for (const Stroke& stroke : heard.strokes) {
        if (stroke.drum != drum) continue;
        const Stretch sounds = around(stroke.time, kBeforeStroke, soundsFor(drum), rate, frames);
        std::fill(between.begin() + static_cast<std::ptrdiff_t>(sounds.from),
                  between.begin() + static_cast<std::ptrdiff_t>(sounds.to), false);
        const Stretch first = around(stroke.time, 0.002, kEarly, rate, frames);
        ownEnergy += gains[mic][own] * gains[mic][own] *
                     energyOf({at.parts[own].data() + first.from, first.to - first.from});
        underEnergy += energyOf({others.data() + first.from, first.to - first.from});
        bledEnergy += energyOf({bled.data() + first.from, first.to - first.from});
        early += first.to - first.from;
        // Between two strokes that follow at once there is nothing to stand out of.
        if (stroke.kind == StrokeKind::ghost && stroke.time - last > 0.12) {
            const Stretch now = around(stroke.time, 0.002, 0.02, rate, frames),
                          ahead = around(stroke.time, 0.06, -0.01, rate, frames);
            if (now.to > now.from && ahead.to > ahead.from) {
                const double loud = energyOf({whole.data() + now.from, now.to - now.from}) /
                                    static_cast<double>(now.to - now.from),
                             quiet = energyOf({whole.data() + ahead.from, ahead.to - ahead.from}) /
                                     static_cast<double>(ahead.to - ahead.from);
                standing.push_back(std::clamp(decibels(loud) - decibels(quiet), -60.0, 60.0));
            }
        }
        last = stroke.time;
    }
    if (early == 0 || ownEnergy <= 0.0) return out;
    const double strokes = decibels(ownEnergy / static_cast<double>(early));
    const double lost = kLostWithIt * taken * taken * bledEnergy;
    out.under = decibels((underEnergy + lost) / static_cast<double>(early)) - strokes;
    if (standing.size() >= 3) out.standOut = median(standing);
    double left = 0.0;
    std::size_t count = 0;
    for (std::size_t i = 0; i < frames; ++i) {
        if (!between[i]) continue;
        left += static_cast<double>(whole[i]) * static_cast<double>(whole[i]);
        ++count;
    }
    if (count < frames / 20) return out;
    out.between = decibels(left / static_cast<double>(count)) - strokes;
    std::vector<float> rest(frames, 0.0F);
    for (std::size_t m = 0; m < heard.mics.size(); ++m) {
        if (m == mic) continue;
        const std::vector<float> other = mixedOf(heard.mics[m], recorded[m], kNoPart);
        for (std::size_t i = 0; i < frames; ++i) rest[i] += other[i];
    }
    const auto here = octavesOf(others, between, rate), there = octavesOf(rest, between, rate);
    const double most = *std::max_element(there.begin(), there.end());
    for (std::size_t octave = 0; octave < kOctaves; ++octave) {
        // What is 50 dB under the loudest octave of everything is heard by nobody.
        if (here[octave] < 1e-5 * most) continue;
        const double over = decibels(here[octave]) - decibels(there[octave]);
        out.cover = std::max(out.cover.value_or(over), over);
    }
    return out;
}

double mostTaken(const std::vector<double>& gains) {
    double least = 1.0;
    for (const double gain : gains) least = std::min(least, gain);
    return 1.0 - least;
}

std::vector<double> drumsIn(const BleedHeard& heard, std::size_t mic) {
    std::vector<double> out;
    for (std::size_t d = 0; d < heard.drums.size(); ++d) {
        double energy = 0.0;
        std::size_t count = 0;
        const std::vector<float>& part = heard.mics[mic].parts[d];
        for (const Stroke& stroke : heard.strokes) {
            if (stroke.drum != heard.drums[d]) continue;
            const Stretch first = around(stroke.time, 0.002, kEarly, heard.sampleRate, part.size());
            energy += energyOf({part.data() + first.from, first.to - first.from});
            count += first.to - first.from;
        }
        out.push_back(count > 0 ? decibels(energy / static_cast<double>(count)) : kSilenceDb);
    }
    return out;
}

double partAgainstRest(const BleedHeard& heard, const PartGains& gains, std::size_t mic,
                       std::size_t part) {
    const double own = gains[mic][part] * gains[mic][part] * energyOf(heard.mics[mic].parts[part]);
    return decibels(own) - decibels(energyOf(mixedOf(heard.mics[mic], gains[mic], part)));
}

double cymbalLoudness(const BleedHeard& heard, const PartGains& gains) {
    AudioBuffer sum{heard.sampleRate, {{}, {}}};
    for (std::size_t m = 0; m < heard.mics.size(); ++m) {
        for (std::size_t d = 0; d < heard.drums.size(); ++d) {
            const DrumFamily family = drumFamily(heard.drums[d]);
            if (family != DrumFamily::hat && family != DrumFamily::cymbal) continue;
            const std::vector<float>& part = heard.mics[m].parts[d];
            auto& side = sum.channels[0];
            side.resize(part.size(), 0.0F);
            const auto gain = static_cast<float>(gains[m][d]);
            for (std::size_t i = 0; i < part.size(); ++i) side[i] += gain * part[i];
        }
    }
    sum.channels[1].resize(sum.channels[0].size(), 0.0F);
    return sum.frames() > 0 ? loudnessOf(sum) : kSilenceDb;
}

double drumLevel(const BleedHeard& heard, const PartGains& gains, std::size_t part) {
    std::vector<float> sum(heard.mics.front().parts[part].size(), 0.0F);
    for (std::size_t m = 0; m < heard.mics.size(); ++m) {
        const auto gain = static_cast<float>(gains[m][part]);
        const std::vector<float>& x = heard.mics[m].parts[part];
        for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += gain * x[i];
    }
    return decibels(energyOf(sum) / static_cast<double>(std::max<std::size_t>(1, sum.size())));
}

DrumSums::DrumSums(const BleedHeard& heard) {
    products_.resize(heard.drums.size() + 1);
    for (std::size_t part = 0; part < products_.size(); ++part) {
        products_[part].assign(heard.mics.size(), std::vector<double>(heard.mics.size(), 0.0));
        for (std::size_t a = 0; a < heard.mics.size(); ++a) {
            for (std::size_t b = a; b < heard.mics.size(); ++b) {
                const std::vector<float>&x = heard.mics[a].parts[part],
                      &y = heard.mics[b].parts[part];
                double sum = 0.0;
                for (std::size_t i = 0; i < x.size(); ++i)
                    sum += static_cast<double>(x[i]) * static_cast<double>(y[i]);
                products_[part][a][b] = products_[part][b][a] =
                    sum / static_cast<double>(std::max<std::size_t>(1, x.size()));
            }
        }
    }
}

double DrumSums::level(const PartGains& gains, std::size_t part) const {
    double power = 0.0;
    for (std::size_t a = 0; a < gains.size(); ++a) {
        for (std::size_t b = 0; b < gains.size(); ++b)
            power += gains[a][part] * gains[b][part] * products_[part][a][b];
    }
    return decibels(power);
}

}  // namespace ember
