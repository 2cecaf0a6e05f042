#include "core/report/stack_report.h"

#include "core/base/error.h"
#include "core/dsp/seat.h"
#include "core/engine/render.h"
#include "core/engine/stack.h"
#include "core/measure/level/loudness.h"
#include "core/measure/sound/layer_align.h"
#include "core/measure/strokes/played.h"
#include "core/session/layers.h"

#include <algorithm>
#include <cmath>
#include <iterator>

namespace ember {
namespace {

constexpr double kWindow = 8.0;  // seconds of the mix that are looked at
constexpr double kFirst = 0.05;  // of a stroke
constexpr double kQuietStepDb = 0.25;

const Row& requireStack(const Session& session, const std::string& id) {
    const Row* row = findRow(session, id);
    if (row == nullptr) throw Error("There is no row “" + id + "”.");
    if (row->layers.empty())
        throw Error("“" + row->name + "” has no layers; choose a row that has some.");
    return *row;
}

// The strokes that start a layer, in seconds.
std::vector<double> timesOf(const Session& session, const Row& row, const Layer& layer) {
    const std::vector<Stroke> strokes = playedStrokes(session, row.drum);
    std::vector<double> out;
    for (const std::size_t s : struckBy(layer, strokes))
        out.push_back(strokes[s].time + 1e-3 * layer.at(Layer::offset));
    return out;
}

// Where the window with the most of these times begins.
double busiest(const std::vector<double>& times) {
    std::size_t most = 0, last = 0;
    double from = times.front();
    for (std::size_t i = 0; i < times.size(); ++i) {
        last = std::max(last, i);
        while (last < times.size() && times[last] < times[i] + kWindow) ++last;
        if (last - i > most) {
            most = last - i;
            from = times[i];
        }
    }
    return from;
}

struct Heard {
    AudioBuffer mix;
    double loudness = kSilenceDb;
};

Heard hear(const Session& session, AudioStore& store, double from) {
    RenderOptions options;
    options.from = std::max(0.0, from - 0.05);
    options.to = from + kWindow + kFirst;
    options.withGuests = true;
    Heard out{renderMix(session, store, options), kSilenceDb};
    std::vector<float> interleaved(2 * out.mix.frames());
    for (std::size_t i = 0; i < out.mix.frames(); ++i) {
        interleaved[2 * i] = out.mix.channels[0][i];
        interleaved[2 * i + 1] = out.mix.channels[1][i];
    }
    LoudnessMeter meter(2, out.mix.sampleRate, LoudnessDetail::integrated);
    meter.add(interleaved);
    out.loudness = meter.result().integrated;
    return out;
}

double largestOf(const std::vector<double>& changes) {
    double most = 0.0;
    for (const double db : changes) most = std::max(most, std::abs(db));
    return most;
}

// What is heard without a layer where most of its strokes are, to hold others against.
class Muted {
  public:
    // `times`: of the strokes that start it.
    Muted(const Session& session, AudioStore& store, const std::string& row,
          const std::string& layer, std::vector<double> times)
        : store_(store),
          from_(busiest(times)),
          times_(std::move(times)),
          without_(hear(withLayerValue(session, row, layer, "on", 0.0), store, from_)) {
        std::erase_if(times_, [&](double t) { return t < from_ || t >= from_ + kWindow; });
    }
    [[nodiscard]] int strokes() const { return static_cast<int>(times_.size()); }
    // What the session with the layer has more in each of earBands(), at the loudness without it.
    [[nodiscard]] std::vector<double> given(const Session& session) const {
        const Heard with = hear(session, store_, from_);
        BandPowers bands(session.sampleRate, earBandEdges());
        std::vector<double> a = bands.none(), b = bands.none();
        const double begins = std::max(0.0, from_ - 0.05);
        const auto count = static_cast<std::size_t>(kFirst * session.sampleRate);
        for (const double t : times_) {
            const auto at = static_cast<std::size_t>(
                std::llround(std::max(0.0, t - begins) * session.sampleRate));
            for (std::size_t side = 0; side < 2; ++side) {
                const auto part = [&](const AudioBuffer& mix) {
                    const auto& samples = mix.channels[side];
                    const std::size_t first = std::min(at, samples.size());
                    return std::span(samples).subspan(first,
                                                      std::min(count, samples.size() - first));
                };
                bands.add(part(with.mix), a);
                bands.add(part(without_.mix), b);
            }
        }
        const bool sounds = with.loudness > kSilenceDb && without_.loudness > kSilenceDb;
        std::vector<double> out = bandChanges(a, b);
        for (double& db : out) {
            if (db != 0.0 && sounds) db += without_.loudness - with.loudness;
        }
        return out;
    }

  private:
    AudioStore& store_;
    double from_;
    std::vector<double> times_;
    Heard without_;
};

// A layer as one stroke of full velocity starts it, mixed to one channel: [-lead, ...).
std::vector<float> alone(const Layer& layer, AudioStore& store, int rate, bool placed) {
    const auto sound = layerSound(layer, layer.sounds.front(), store, rate);
    const auto lead = static_cast<Frames>(
        placed ? std::llround(framesFromMs(
                     layer.at(Layer::offset) - layerTable()[Layer::offset].minimum, rate))
               : 0);
    std::vector<float> out(static_cast<std::size_t>(lead) + sound->frames(), 0.0F);
    const double gain =
        placed ? gainFromDb(layer.at(Layer::level)) * (layer.is(Layer::polarity) ? -1.0 : 1.0)
               : 1.0;
    for (const auto& channel : sound->channels) {
        for (std::size_t i = 0; i < channel.size(); ++i)
            out[static_cast<std::size_t>(lead) + i] +=
                static_cast<float>(gain * channel[i] / static_cast<double>(sound->channels.size()));
    }
    return out;
}

}  // namespace

std::vector<Contribution> layerContributions(const Session& session, AudioStore& store,
                                             const std::string& id, const Progress& progress) {
    const Row& row = requireStack(session, id);
    std::vector<Contribution> out;
    for (std::size_t l = 0; l < row.layers.size(); ++l) {
        const Layer& layer = row.layers[l];
        report(progress, static_cast<double>(l) / static_cast<double>(row.layers.size()),
               layer.name);
        Contribution c{layer.id, std::vector<double>(earBands().size(), 0.0), false, 0};
        const std::vector<double> times = timesOf(session, row, layer);
        if (layer.is(Layer::on) && !times.empty()) {
            const Muted muted(session, store, id, layer.id, times);
            c.bandsDb = muted.given(session);
            c.strokes = muted.strokes();
            c.missed = largestOf(c.bandsDb) >= kMissedDb;
        }
        out.push_back(std::move(c));
    }
    return out;
}

QuietLevel quietLevel(const Session& session, AudioStore& store, const std::string& id,
                      const std::string& layerId, bool alone, const Progress& progress) {
    const Row& row = requireStack(session, id);
    const Layer* found = findLayer(row, layerId);
    if (found == nullptr) throw Error("“" + row.name + "” has no layer “" + layerId + "”.");
    const Layer& layer = *found;
    const std::vector<double> times = timesOf(session, row, layer);
    if (!layer.is(Layer::on) || times.empty())
        throw Error("“" + layer.name + "” is off, or no stroke starts it; nobody can miss it.");
    const Session heard = alone ? withOnlyRows(session, {id, mainRow(session)}) : session;
    const Muted muted(heard, store, id, layerId, times);
    const Parameter& table = layerTable()[Layer::level];
    const auto at = [&](double db) {
        return largestOf(muted.given(withLayerValue(heard, id, layerId, "level", db)));
    };
    QuietLevel out{table.maximum, at(table.maximum), true};
    if (out.changeDb < kMissedDb) {
        out.reached = false;
        return out;
    }
    // More of it changes more: halved until a step is left.
    const double steps = std::log2((table.maximum - table.minimum) / kQuietStepDb);
    double low = table.minimum;
    for (int done = 1; out.levelDb - low > kQuietStepDb; ++done) {
        report(progress, done / (steps + 1.0), layer.name);
        const double middle = 0.5 * (low + out.levelDb), change = at(middle);
        if (change < kMissedDb) {
            low = middle;
        } else {
            out.levelDb = middle;
            out.changeDb = change;
        }
    }
    out.levelDb = std::ceil(out.levelDb / kQuietStepDb) * kQuietStepDb;
    out.changeDb = at(out.levelDb);
    return out;
}

std::vector<Agreement> layerAgreements(const Session& session, AudioStore& store,
                                       const std::string& id) {
    const Row& row = requireStack(session, id);
    const double rate = session.sampleRate;
    BandPowers bands(rate, {20.0, 150.0, 1500.0, 0.45 * rate});
    struct Alone {
        const Layer* layer;
        std::vector<float> sound;
        std::vector<std::size_t> strokes;  // that start it
    };
    std::vector<Alone> all;
    for (const Layer& layer : row.layers) {
        if (layer.is(Layer::on))
            all.push_back({&layer, alone(layer, store, session.sampleRate, true),
                           struckBy(layer, playedStrokes(session, row.drum))});
    }
    const auto power = [&](const std::vector<float>& sound, std::size_t from, double seconds) {
        std::vector<double> powers = bands.none();
        const auto count = std::min(sound.size() - std::min(from, sound.size()),
                                    static_cast<std::size_t>(seconds * rate));
        bands.add(std::span(sound).subspan(std::min(from, sound.size()), count), powers);
        return powers;
    };
    std::vector<Agreement> out;
    for (std::size_t x = 0; x < all.size(); ++x) {
        for (std::size_t y = x + 1; y < all.size(); ++y) {
            std::vector<std::size_t> shared;
            std::set_intersection(all[x].strokes.begin(), all[x].strokes.end(),
                                  all[y].strokes.begin(), all[y].strokes.end(),
                                  std::back_inserter(shared));
            // An open hat and a closed one never meet.
            if (shared.empty()) continue;
            Agreement a{all[x].layer->id, all[y].layer->id};
            std::vector<float> sum = all[x].sound;
            sum.resize(std::max(sum.size(), all[y].sound.size()), 0.0F);
            for (std::size_t i = 0; i < all[y].sound.size(); ++i) sum[i] += all[y].sound[i];
            // From where the first of the two begins to be heard.
            float most = 0.0F;
            for (const float s : sum) most = std::max(most, std::abs(s));
            const auto begin = static_cast<std::size_t>(
                std::find_if(sum.begin(), sum.end(),
                             [&](float s) { return std::abs(s) > 0.05F * most; }) -
                sum.begin());
            const auto against = [&](double seconds, std::size_t band) {
                const double both = power(sum, begin, seconds)[band],
                             parts = power(all[x].sound, begin, seconds)[band] +
                                     power(all[y].sound, begin, seconds)[band];
                return parts > 0.0 ? 10.0 * std::log10(std::max(1e-6, both / parts)) : 0.0;
            };
            a.lowDb = against(0.2, 0);
            a.attackDb = against(0.02, 2);
            const auto whole = [&](const std::vector<float>& s) {
                double energy = 0.0;
                for (const float v : s) energy += static_cast<double>(v) * v;
                return energy;
            };
            const double parts = whole(all[x].sound) + whole(all[y].sound);
            a.wholeDb = parts > 0.0 ? 10.0 * std::log10(std::max(1e-6, whole(sum) / parts)) : 0.0;
            out.push_back(a);
        }
    }
    return out;
}

StackPicture stackPicture(const Session& session, AudioStore& store, const std::string& id) {
    constexpr double kLongest = 0.5;  // seconds of a wave that are kept
    constexpr double kOfSpectrum = 0.3;
    const Row& row = requireStack(session, id);
    StackPicture out;
    out.sampleRate = session.sampleRate;
    out.fromMs = layerTable()[Layer::offset].minimum;
    const auto lead = static_cast<std::size_t>(framesFromMs(-out.fromMs, out.sampleRate));
    const auto most = lead + static_cast<std::size_t>(kLongest * out.sampleRate);
    const auto finish = [&](StackPicture::Wave& wave) {
        const auto first = std::find_if(wave.samples.begin(), wave.samples.end(),
                                        [](float x) { return std::abs(x) > 1e-5F; });
        const auto count = std::min<std::ptrdiff_t>(
            wave.samples.end() - first, static_cast<std::ptrdiff_t>(kOfSpectrum * out.sampleRate));
        SpectrumMeter meter(out.sampleRate);
        // A window of silence before it, so that the stick is not faded away.
        std::vector<float> padded(SpectrumMeter::kLength / 2, 0.0F);
        padded.insert(padded.end(), first, first + count);
        padded.resize(padded.size() + SpectrumMeter::kLength, 0.0F);
        meter.add(padded);
        wave.spectrum = meter.result(12);
    };
    out.sum.samples.assign(most, 0.0F);
    for (const Layer& layer : row.layers) {
        if (!layer.is(Layer::on)) continue;
        try {
            StackPicture::Wave wave{layer.id, alone(layer, store, session.sampleRate, true), {}};
            wave.samples.resize(most, 0.0F);
            for (std::size_t i = 0; i < most; ++i) out.sum.samples[i] += wave.samples[i];
            finish(wave);
            out.layers.push_back(std::move(wave));
        } catch (const Error& error) {
            out.problems.emplace_back(error.what());
        }
    }
    finish(out.sum);
    if (out.problems.empty()) out.agreements = layerAgreements(session, store, id);
    return out;
}

std::vector<LayerMove> layerMoves(const Session& session, AudioStore& store,
                                  const std::string& id) {
    const Row& row = requireStack(session, id);
    const auto body = [](const Layer& layer) {
        return std::lround(layer.at(Layer::part)) == static_cast<long>(LayerPart::body);
    };
    const Layer* leader = nullptr;
    for (const Layer& layer : row.layers) {
        if (!layer.is(Layer::on)) continue;
        const bool better =
            leader == nullptr || (body(layer) && !body(*leader)) ||
            (body(layer) == body(*leader) && layer.at(Layer::level) > leader->at(Layer::level));
        if (better) leader = &layer;
    }
    std::vector<LayerMove> out;
    if (leader == nullptr) return out;
    const double perMs = session.sampleRate / 1000.0;
    const std::vector<float> lead = alone(*leader, store, session.sampleRate, true);
    for (const Layer& layer : row.layers) {
        if (&layer == leader || !layer.is(Layer::on)) continue;
        const LayerAlignment found =
            alignLayers(lead, alone(layer, store, session.sampleRate, true), session.sampleRate);
        LayerMove move{layer.id, leader->id};
        const Parameter& offset = layerTable()[Layer::offset];
        move.offsetMs = std::clamp(layer.at(Layer::offset) + found.shift / perMs, offset.minimum,
                                   offset.maximum);
        move.flip = layer.is(Layer::polarity) != found.flip;
        move.related = found.related;
        move.confidence = found.confidence;
        move.gainDb = found.gainDb;
        out.push_back(std::move(move));
    }
    return out;
}

Session withLayerMoves(Session session, const std::string& row,
                       const std::vector<LayerMove>& moves) {
    for (const LayerMove& move : moves) {
        if (!move.related) continue;
        session = withLayerValue(std::move(session), row, move.layer, "offset", move.offsetMs);
        session =
            withLayerValue(std::move(session), row, move.layer, "polarity", move.flip ? 1.0 : 0.0);
    }
    return session;
}

}  // namespace ember
