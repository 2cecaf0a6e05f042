#include "core/advise/bus.h"

#include "core/advise/bus_figures.h"
#include "core/advise/common.h"
#include "core/advise/ready_bus.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/base/units.h"
#include "core/dsp/equaliser.h"
#include "core/dsp/seat.h"
#include "core/session/graph.h"
#include "core/session/kit.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

// What belongs in the middle: where the sides of a drum bus may not be loud.
constexpr double kSideLows = 120.0;                               // Hz, below
constexpr double kCleanSidesDb = -24.0, kKickInMiddleDb = -20.0;  // against the middle
constexpr double kSideHighs = 14000.0;                            // Hz, above: extreme highs
constexpr double kLoudSideHighsDb = -3.0;

// What glue takes off where it takes most but for a tenth of the strokes.
constexpr double kGlueDb = 2.0;
// How far a press raised under the mix brings the body up against the attack.
constexpr double kPressDb = -2.0;
// How loud what is returned stands against the drums, LU.
constexpr double kDirtLu = -14.0, kPlateLu = -18.0, kRoomLu = -21.0;

// By how much a press may lift the low end.
constexpr double kMostLowsDb = 1.5;

// A band of an equaliser that is as it came; -1: all are in use.
int freeBand(const Stage& eq) {
    for (int b = 0; b < kEqBands; ++b) {
        if (!eqBandInUse(eq.values, b)) return b;
    }
    return -1;
}

// A pass filter for the sides alone, in a free band; 24 dB an octave.
std::vector<ParameterMove> sidePass(int band, EqShape shape, double hertz) {
    const std::string b = eqBandId(band);
    return {{b + ".on", 1.0},
            {b + ".shape", static_cast<double>(shape)},
            {b + ".frequency", hertz},
            {b + ".slope", 3.0},
            {b + ".part", static_cast<double>(EqPart::sides)}};
}

// Whether a row's equaliser has one already.
bool hasSidePass(const Row& row, EqShape shape) {
    for (const Stage& stage : row.chain) {
        if (stage.type != "eq" || !stage.on) continue;
        for (int b = 0; b < kEqBands; ++b) {
            const EqBand band = eqBand(stage.values, b);
            if (band.on && band.part == EqPart::sides && band.shape == shape) return true;
        }
    }
    return false;
}

Effect foretold(EffectKind kind, const char* what, const char* unit, std::optional<double> before,
                double predicted, double fromHertz = 0.0, double toHertz = 0.0) {
    return {kind, what, unit, before, predicted, {}, fromHertz, toHertz};
}

std::string percent(double share) {
    return numberText(100.0 * share, 0) + " %";
}

// The mix as it stands after what is proposed so far, and what is proposed.
class BusAdviser {
  public:
    BusAdviser(const Session& session, const BusHeard& heard, const KitMeasurement& measured,
               BusSchool school)
        : session_(session), heard_(heard), measured_(measured), school_(school) {
        bus_ = drumBus(session);
        kicks_ = timesOf(heard, "kick");
        hits_ = hits(heard);
    }

    std::vector<Proposal> run() {
        if (heard_.strokes.empty() || heard_.rows.empty()) return {};
        route();
        if (bus_.empty()) return std::move(out_);
        gather();
        for (int n = 0; n < 4 && kickToTheMiddle(); ++n) {
        }
        cleanSides();
        if (school_ == BusSchool::glue) {
            glue();
            raise("plate", kPlateLu, "snare and toms ring on in it");
            raise("room", kRoomLu, "kick, snare and toms stand in one place");
        } else {
            raise("dirt", kDirtLu, "kick, snare and toms bent, without their lows");
            press();
        }
        return std::move(out_);
    }

  private:
    [[nodiscard]] const Row& row(const std::string& id) const { return *findRow(session_, id); }
    // As the row sounds after what is proposed for it.
    [[nodiscard]] const AudioBuffer& of(const std::string& id) const {
        const auto changed = changed_.find(id);
        return changed != changed_.end() ? changed->second : *audioOf(heard_, id);
    }

    Proposal begin(const std::string& id, const std::string& rowId, const std::string& stage) {
        Proposal p;
        p.id = rowId + ".bus." + id;
        p.step = "bus";
        p.row = rowId;
        p.stage = stage;
        p.school = school_ == BusSchool::glue ? "gentle glue and space" : "hard parallels and dry";
        p.confidence = 0.8;
        for (const double t : hits_) {
            if (p.evidence.size() < 48) p.evidence.push_back(heard_.from + t);
        }
        return p;
    }
    // Whether it holds from here on.
    bool propose(Proposal p) {
        if (isDeclined(session_, p)) return false;
        session_ = accept(std::move(session_), p, measured_.strokes);
        out_.push_back(std::move(p));
        return true;
    }

    // Elements that go past the bus of their kind.
    void route() {
        for (const Row& r : std::vector(session_.rows)) {
            if (r.kind != RowKind::element || isUnsure(r) || r.role == Role::unknown) continue;
            const std::string main = mainRow(session_), own(busOf(r.role));
            if (r.parent != main || audioOf(heard_, r.id) == nullptr) continue;
            const Row* kind = own.empty() ? nullptr : findRow(session_, own);
            const std::string to = kind != nullptr ? own : bus_;
            if (to.empty() || to == main) continue;
            Proposal p = begin("route", r.id, "seat");
            p.feeds = to;
            p.title = "Into " + row(to).name;
            p.reason = r.name +
                       " goes to the main by itself, past the bus of its kind: whatever "
                       "is done to " +
                       row(to).name + " leaves it out.";
            propose(std::move(p));
        }
    }

    // What the drum bus is fed, and what the main is fed beside it and its streams.
    void gather() {
        input_ = silenceLike(of(bus_));
        rest_ = input_;
        const std::string main = mainRow(session_);
        for (const Row& r : session_.rows) {
            const AudioBuffer* audio = audioOf(heard_, r.id);
            if (audio == nullptr || r.id == bus_) continue;
            // A row that was routed anew goes through its bus, which is taken to leave it as it is.
            const bool moved = std::any_of(out_.begin(), out_.end(), [&](const Proposal& p) {
                return p.row == r.id && !p.feeds.empty();
            });
            if (r.parent == bus_ || moved) addTo(input_, *audio);
            if (r.parent == main && !leadsTo(session_, bus_, r.id)) addTo(rest_, *audio);
        }
        drums_ = throughBus(row(bus_), input_);
    }

    [[nodiscard]] AudioBuffer mainInput() const {
        AudioBuffer sum = rest_;
        addTo(sum, drums_);
        return sum;
    }
    [[nodiscard]] AudioBuffer mix(const AudioBuffer& in) const {
        return throughBus(row(mainRow(session_)), in);
    }

    // A kick whose lows stand at the sides is brought back where most of that comes from. Whether
    // something was done, and more may be.
    bool kickToTheMiddle() {
        if (kicks_.empty()) return false;
        if (sidesDb(halvesOf(drums_, 20.0, kKickLows, kicks_)) < kKickInMiddleDb) return false;
        double all = 0.0, most = 0.0;
        const Row* cause = nullptr;
        for (const Row& r : session_.rows) {
            // Where another drum stands aside on purpose, its place is left alone.
            const bool aside = channelCount(r) == 1 && r.drum != "kick";
            if (audioOf(heard_, r.id) == nullptr || !hasSources(r.kind) || isUnsure(r)) continue;
            const double power = halvesOf(of(r.id), 20.0, kKickLows, kicks_).sides;
            all += power;
            if (power <= most || aside || hasSidePass(r, EqShape::highPass)) continue;
            most = power;
            cause = &r;
        }
        if (cause == nullptr) return false;
        const bool panned = channelCount(*cause) == 1;
        Proposal p = begin("middle", cause->id, panned ? "seat" : "eq");
        p.drum = "kick";
        const AudioBuffer& audio = of(cause->id);
        AudioBuffer then = audio;
        if (panned) {
            p.moves = {{"pan", 0.0}};
            // The louder side tells what was panned.
            const PanGains gains = panMono(cause->chain.back().values[Seat::pan] / 100.0);
            const std::size_t side = gains.left >= gains.right ? 0 : 1;
            const auto undo = static_cast<float>(1.0 / std::max(gains.left, gains.right));
            for (std::size_t i = 0; i < then.frames(); ++i)
                then.channels[0][i] = then.channels[1][i] = undo * audio.channels[side][i];
        } else {
            const Stage* eq = findStage(*cause, "eq");
            if (eq == nullptr) p.stageType = "eq";
            const int band = eq != nullptr ? freeBand(*eq) : 0;
            if (band < 0) return false;
            p.moves = sidePass(band, EqShape::highPass, kKickLows);
            then = throughStage("eq", withMoves("eq", p.moves), audio);
        }
        AudioBuffer input = input_;
        addTo(input, audio, -1.0);
        addTo(input, then);
        p.effects.push_back(foretold(EffectKind::sideBand, "kick at its sides below 150 Hz", "dB",
                                     broughtDb(audio, drums_, kicks_),
                                     broughtDb(then, throughBus(row(bus_), input), kicks_), 20.0,
                                     kKickLows));
        p.effects.push_back(costInMono(throughBus(row(bus_), input)));
        p.title = "The kick back in the middle";
        p.reason = "Of what the kick has at the sides below 150 Hz, " + cause->name + " brings " +
                   percent(most / std::max(all, 1e-30)) + ". " +
                   (panned ? "In the middle it stands where the kick is felt."
                           : "A high-pass for its sides alone leaves its highs as wide as they "
                             "are; the mono sum stays as it is.");
        if (!propose(std::move(p))) return false;
        input_ = std::move(input);
        drums_ = throughBus(row(bus_), input_);
        changed_[out_.back().row] = std::move(then);
        return true;
    }

    // No lows and no extreme highs at the sides of the drum bus.
    void cleanSides() {
        double lows = sidesDb(halvesOf(input_, 20.0, kSideLows)),
               highs = sidesDb(halvesOf(input_, kSideHighs, 20000.0));
        if (hasSidePass(row(bus_), EqShape::highPass)) lows = kSilenceDb;
        if (hasSidePass(row(bus_), EqShape::lowPass)) highs = kSilenceDb;
        const Stage* eq = findStage(row(bus_), "eq");
        int band = eq != nullptr ? freeBand(*eq) : 0;
        if (band < 0 || (lows < kCleanSidesDb && highs < kLoudSideHighsDb)) return;
        Proposal p = begin("sides", bus_, "eq");
        if (eq == nullptr) p.stageType = "eq";
        if (lows >= kCleanSidesDb) p.moves = sidePass(band++, EqShape::highPass, kSideLows);
        if (highs >= kLoudSideHighsDb && band < kEqBands &&
            (eq == nullptr || !eqBandInUse(eq->values, band))) {
            for (ParameterMove& m : sidePass(band, EqShape::lowPass, kSideHighs))
                p.moves.push_back(std::move(m));
        }
        if (p.moves.empty()) return;
        std::vector<double> values =
            eq != nullptr ? eq->values : standardValues(processorType("eq").table);
        values = withMoves("eq", std::move(values), p.moves);
        const AudioBuffer then = throughStage("eq", values, input_);
        if (lows >= kCleanSidesDb)
            p.effects.push_back(foretold(EffectKind::sideBand, "sides below 120 Hz", "dB", lows,
                                         sidesDb(halvesOf(then, 20.0, kSideLows)), 20.0,
                                         kSideLows));
        if (highs >= kLoudSideHighsDb)
            p.effects.push_back(foretold(EffectKind::sideBand, "sides above 14 kHz", "dB", highs,
                                         sidesDb(halvesOf(then, kSideHighs, 20000.0)), kSideHighs,
                                         20000.0));
        const Session with = accept(session_, p, measured_.strokes);
        p.effects.push_back(costInMono(throughBus(*findRow(with, bus_), input_)));
        p.title = "Clean sides";
        p.reason =
            std::string(lows >= kCleanSidesDb
                            ? "Lows at the sides spread kick and toms and are lost on one "
                              "loudspeaker. "
                            : "") +
            (highs >= kLoudSideHighsDb ? "Extreme highs at the sides hiss beside the picture. "
                                       : "") +
            "The middle is left as it is, so mono loses nothing.";
        if (propose(std::move(p))) drums_ = throughBus(row(bus_), input_);
    }

    // A slow attack and a release that is back by the next beat.
    void glue() {
        const Stage* known = findStage(row(bus_), "compressor");
        if (known != nullptr && (known->on || known->mark == Mark::decided)) return;
        std::vector<double> halves;
        for (const DrumTone& t : measured_.tone) {
            const bool skin = t.drum == "kick" || t.drum == "snare" || isTom(t.drum);
            if (skin && t.transientMs > 0.0) halves.push_back(t.transientMs);
        }
        const double half = halves.empty() ? 20.0 : median(halves),
                     attack = std::round(std::clamp(half, 10.0, 30.0)),
                     eighth = 30000.0 / tempoAt(session_.time, heard_.from),
                     release = 10.0 * std::round(std::clamp(eighth, 80.0, 250.0) / 10.0);
        Proposal p = begin("glue", bus_, "compressor");
        if (known == nullptr) p.stageType = "compressor";
        p.moves = {{"ratio", 2.0},       {"knee", 6.0},           {"attack", attack},
                   {"release", release}, {"key-high-pass", 60.0}, {"range", 6.0}};
        const AudioBuffer before = throughChain(row(bus_).chain, input_);
        const double threshold = glueThreshold(before, p.moves);
        p.moves.push_back({"threshold", threshold});
        const AudioBuffer pressed =
            throughStage("compressor", withMoves("compressor", p.moves), before);
        const double lost = loudnessOf(before) - loudnessOf(pressed);
        const double makeUp = 0.1 * std::round(10.0 * std::clamp(lost, 0.0, 12.0));
        p.moves.push_back({"make-up", makeUp});
        const AudioBuffer glued =
            throughStage("compressor", withMoves("compressor", p.moves), before);
        const StrokeFigures was = usualStrokeOf(drums_, hits_);
        const Stage& seat = row(bus_).chain.back();
        AudioBuffer then = throughStage("seat", seat.values, glued);
        const StrokeFigures is = usualStrokeOf(then, hits_);
        p.effects.push_back(foretold(EffectKind::crest, "crest of kick and snare in the bus", "dB",
                                     was.crestDb, is.crestDb));
        p.effects.push_back(foretold(EffectKind::blend, "loudness of the bus", "LUFS",
                                     loudnessOf(drums_), loudnessOf(then)));
        p.title = "Glue";
        p.reason = "Half of a stroke's energy has passed after " + numberText(half, 0) +
                   " ms: an attack of " + numberText(attack, 0) +
                   " ms lets the stick through, a release of " + numberText(release, 0) +
                   " ms goes by the tempo. Nine strokes in ten lose " + numberText(kGlueDb, 0) +
                   " dB at most. " + whoDrives(session_, heard_, before, glued, makeUp);
        if (propose(std::move(p))) drums_ = std::move(then);
    }

    // The threshold at which nine strokes in ten lose kGlueDb at most.
    [[nodiscard]] double glueThreshold(const AudioBuffer& in,
                                       const std::vector<ParameterMove>& moves) const {
        double low = -50.0, high = 0.0;
        for (int n = 0; n < 9; ++n) {
            const double middle = 0.5 * (low + high);
            std::vector<ParameterMove> at = moves;
            at.push_back({"threshold", middle});
            const auto taken =
                takenAt(in, throughStage("compressor", withMoves("compressor", at), in), hits_);
            (quantile(taken, 0.9) > kGlueDb ? low : high) = middle;
        }
        return 0.5 * std::round(2.0 * high);
    }

    // Kick, snare and toms pressed hard beside the mix, raised until the body has come up.
    void press() {
        const auto [with, id] = ready("press");
        if (id.empty()) return;
        const AudioBuffer pressed = returned(with, id), skins = sentTo(with, heard_, id);
        const double was = usualStrokeOf(skins, hits_).transientToBodyDb;
        const auto change = [&](double level) {
            AudioBuffer sum = skins;
            addTo(sum, pressed, gainFromDb(level));
            return usualStrokeOf(sum, hits_).transientToBodyDb - was;
        };
        double low = -40.0, high = 6.0;
        for (int n = 0; n < 9; ++n) {
            const double level = 0.5 * (low + high);
            const bool spare =
                change(level) > kPressDb && *lowEnd(pressed, level).predicted < kMostLowsDb;
            (spare ? low : high) = level;
        }
        const double level = 0.5 * std::round(2.0 * low);
        Proposal p = begin("press", bus_, "");
        p.readyBus = "press";
        p.moves = {{"level", level}};
        p.effects.push_back(foretold(EffectKind::punch, "attack against body of the skins", "dB",
                                     was, was + change(level)));
        p.effects.push_back(lowEnd(pressed, level));
        p.title = "Pressed beside the mix";
        p.reason = "Kick, snare and toms pressed by 8:1 on a bus of their own, raised to " +
                   changeText(level, 1) +
                   " dB: the body comes up under strokes whose front stays. Cymbals are left out.";
        if (propose(std::move(p))) addTo(rest_, pressed, gainFromDb(level));
    }

    // What one loudspeaker takes from the drums, and would take from what they become.
    [[nodiscard]] Effect costInMono(const AudioBuffer& then) const {
        return foretold(EffectKind::mono, "drums lose in mono", "dB", monoCostDb(drums_),
                        monoCostDb(then));
    }

    // What something beside the mix does to its low end: it may cost it nothing.
    [[nodiscard]] Effect lowEnd(const AudioBuffer& back, double level) const {
        const AudioBuffer dry = mainInput();
        AudioBuffer sum = dry;
        addTo(sum, back, gainFromDb(level));
        return foretold(EffectKind::band, "low end of the mix with it", "dB", 0.0,
                        middleDb(mix(sum)) - middleDb(mix(dry)), kLowFrom, kLowTo);
    }

    // A bus beside the mix, so loud against the drums.
    void raise(const std::string& which, double lu, const std::string& sounds) {
        const auto [with, id] = ready(which);
        if (id.empty()) return;
        const AudioBuffer back = returned(with, id);
        const double loud = loudnessOf(back), drums = loudnessOf(drums_);
        if (loud <= kSilenceDb || drums <= kSilenceDb) return;
        const double level = 0.5 * std::round(2.0 * std::clamp(drums + lu - loud, -40.0, 12.0));
        Proposal p = begin(which, bus_, "");
        p.readyBus = which;
        p.moves = {{"level", level}};
        p.effects.push_back(foretold(EffectKind::blend, "loudness against the drums", "LU", {},
                                     loud + level - drums));
        AudioBuffer both = drums_;
        addTo(both, back, gainFromDb(level));
        p.effects.push_back(costInMono(both));
        p.effects.push_back(lowEnd(back, level));
        p.title = findRow(with, id)->name + " beside the mix";
        p.reason = "Raised to " + changeText(level, 1) + " dB it lies " + numberText(-lu, 0) +
                   " LU under the drums: " + sounds + ". The low end of the mix moves by " +
                   changeText(*p.effects.back().predicted, 1) + " dB.";
        if (propose(std::move(p))) addTo(rest_, back, gainFromDb(level));
    }

    // The session with a ready bus whose fader is all the way up to 0 dB, and its id; empty where
    // there is one of that kind already.
    [[nodiscard]] std::pair<Session, std::string> ready(const std::string& which) const {
        if (!readyBusIn(session_, which).empty()) return {};
        Session with = withReadyBus(session_, which);
        std::string id = readyBusIn(with, which);
        with = withValue(std::move(with), id, "seat", "level", 0.0);
        return {std::move(with), std::move(id)};
    }
    // What comes back of it.
    [[nodiscard]] AudioBuffer returned(const Session& with, const std::string& id) const {
        return throughBus(*findRow(with, id), sentTo(with, heard_, id));
    }

    Session session_;
    const BusHeard& heard_;
    const KitMeasurement& measured_;
    BusSchool school_;
    std::string bus_;
    std::vector<double> kicks_, hits_;
    // Of the drum bus, of the main beside it; what the bus gives.
    AudioBuffer input_, rest_, drums_;
    std::map<std::string, AudioBuffer> changed_;
    std::vector<Proposal> out_;
};

}  // namespace

std::vector<Proposal> adviseBus(const Session& session, const BusHeard& heard,
                                const KitMeasurement& measured, BusSchool school) {
    return BusAdviser(session, heard, measured, school).run();
}

}  // namespace ember
