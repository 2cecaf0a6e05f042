#include "core/advise/bus_figures.h"

#include "core/advise/bus.h"
#include "core/advise/ready_bus.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/session/graph.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>

namespace ember {
namespace {

double figure(const Proposal& p, const Effect& e, const Session& session, const BusHeard& heard) {
    const std::string drums = drumBus(session), beside = readyBusIn(session, p.readyBus);
    const auto of = [&](const std::string& row) -> const AudioBuffer& {
        const AudioBuffer* audio = audioOf(heard, row);
        return audio != nullptr ? *audio : heard.rows.back().audio;
    };
    switch (e.kind) {
        case EffectKind::sideBand:
            return p.row == drums ? sidesDb(halvesOf(of(drums), e.fromHertz, e.toHertz))
                                  : broughtDb(of(p.row), of(drums), timesOf(heard, p.drum));
        case EffectKind::crest:
            return usualStrokeOf(of(drums), hits(heard)).crestDb;
        case EffectKind::punch: {
            AudioBuffer sum = sentTo(session, heard, beside);
            addTo(sum, of(beside));
            return usualStrokeOf(sum, hits(heard)).transientToBodyDb;
        }
        case EffectKind::blend:
            return beside.empty() ? loudnessOf(of(drums))
                                  : loudnessOf(of(beside)) - loudnessOf(of(drums));
        case EffectKind::mono: {
            AudioBuffer sum = of(drums);
            if (!beside.empty()) addTo(sum, of(beside));
            return monoCostDb(sum);
        }
        default: {
            const AudioBuffer& with = of(mainRow(session));
            AudioBuffer without = with;
            addTo(without, of(beside), -1.0);
            return middleDb(with, e.fromHertz, e.toHertz) -
                   middleDb(without, e.fromHertz, e.toHertz);
        }
    }
}

}  // namespace

bool isFullStroke(const Stroke& s) {
    return s.kind == StrokeKind::accent || s.kind == StrokeKind::normal;
}

std::vector<double> timesOf(const BusHeard& heard, std::string_view drum) {
    std::vector<double> out;
    for (const Stroke& s : heard.strokes) {
        if (isFullStroke(s) && (drum.empty() || s.drum == drum)) out.push_back(s.time);
    }
    return out;
}

std::vector<double> hits(const BusHeard& heard) {
    std::vector<double> out = timesOf(heard, "kick");
    for (const double t : timesOf(heard, "snare")) out.push_back(t);
    return out.empty() ? timesOf(heard, {}) : out;
}

StrokeFigures usualStrokeOf(const AudioBuffer& audio, const std::vector<double>& times) {
    std::vector<double> crests, ratios;
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, t * audio.sampleRate));
        if (from >= audio.frames()) continue;
        const std::span<const float> sides[] = {std::span(audio.channels[0]).subspan(from),
                                                std::span(audio.channels[1]).subspan(from)};
        const StrokeFigures f = readStroke(sides, audio.sampleRate);
        if (f.energy < 1e-9) continue;
        crests.push_back(f.crestDb);
        ratios.push_back(f.transientToBodyDb);
    }
    StrokeFigures out;
    out.crestDb = median(std::move(crests));
    out.transientToBodyDb = median(std::move(ratios));
    return out;
}

std::vector<double> takenAt(const AudioBuffer& before, const AudioBuffer& after,
                            const std::vector<double>& times) {
    std::vector<double> out;
    const auto length = static_cast<std::size_t>(0.15 * before.sampleRate);
    for (const double t : times) {
        const auto from = static_cast<std::size_t>(std::max(0.0, t * before.sampleRate));
        double was = 1e-12, is = 1e-12;
        for (std::size_t i = from; i < std::min(from + length, before.frames()); ++i) {
            for (std::size_t c = 0; c < 2; ++c) {
                was += std::pow(static_cast<double>(before.channels[c][i]), 2.0);
                is += std::pow(static_cast<double>(after.channels[c][i]), 2.0);
            }
        }
        out.push_back(10.0 * std::log10(was / is));
    }
    return out;
}

std::string whoDrives(const Session& session, const BusHeard& heard, const AudioBuffer& before,
                      const AudioBuffer& after, double makeUp) {
    std::string driver, shifts;
    double most = 0.0;
    std::vector<std::string> drums;
    for (const Stroke& s : heard.strokes) {
        if (isFullStroke(s) && std::find(drums.begin(), drums.end(), s.drum) == drums.end())
            drums.push_back(s.drum);
    }
    for (const std::string& drum : drums) {
        const double taken = median(takenAt(before, after, timesOf(heard, drum))) + makeUp;
        if (taken > most) {
            most = taken;
            driver = drum;
        }
        const double shift = makeUp - taken;
        if (std::abs(shift) >= 0.3)
            shifts += (shifts.empty() ? "" : ", ") + drumName(session, drum) + " " +
                      changeText(shift, 1) + " dB";
    }
    if (driver.empty()) return {};
    return "What drives it most: " + drumName(session, driver) +
           (shifts.empty() ? "; every drum keeps its place."
                           : "; at equal loudness: " + shifts + ".");
}

double middleDb(const AudioBuffer& audio, double from, double to) {
    return 10.0 * std::log10(std::max(1e-15, halvesOf(audio, from, to).middle));
}

AudioBuffer sentTo(const Session& session, const BusHeard& heard, const std::string& bus) {
    AudioBuffer sum = silenceLike(heard.rows.front().audio);
    for (const Row& r : session.rows) {
        const AudioBuffer* audio = audioOf(heard, r.id);
        if (audio != nullptr && findSend(r, bus) != nullptr) addTo(sum, *audio);
    }
    return sum;
}

double monoCostDb(const AudioBuffer& audio) {
    double middle = 0.0, both = 0.0;
    for (std::size_t i = 0; i < audio.frames(); ++i) {
        const double l = static_cast<double>(audio.channels.front()[i]),
                     r = static_cast<double>(audio.channels.back()[i]);
        middle += 0.25 * (l + r) * (l + r);
        both += 0.5 * (l * l + r * r);
    }
    return both <= 0.0 ? 0.0 : 10.0 * std::log10(both / std::max(middle, 1e-15 * both));
}

double broughtDb(const AudioBuffer& row, const AudioBuffer& bus, const std::vector<double>& times) {
    return sidesDb({halvesOf(bus, 20.0, kKickLows, times).middle,
                    halvesOf(row, 20.0, kKickLows, times).sides});
}

AudioBuffer silenceLike(const AudioBuffer& audio) {
    const std::vector<float> side(audio.frames());
    return {audio.sampleRate, {side, side}};
}

std::string drumBus(const Session& session) {
    const std::string main = mainRow(session);
    std::string best;
    std::size_t most = 1;  // one element alone is no kit
    for (const Row& r : session.rows) {
        if (r.kind != RowKind::bus || r.parent != main) continue;
        std::size_t elements = 0;
        for (const std::string& id : heardIn(session, r.id)) {
            const Row* heard = findRow(session, id);
            elements += heard != nullptr && heard->kind == RowKind::element ? 1 : 0;
        }
        if (elements <= most) continue;
        most = elements;
        best = r.id;
    }
    return best;
}

void measureBusEffects(Proposal& proposal, const Session& accepted, const BusHeard& heard) {
    for (Effect& e : proposal.effects) e.measured = figure(proposal, e, accepted, heard);
}

}  // namespace ember
