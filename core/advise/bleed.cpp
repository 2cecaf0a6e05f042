#include "core/advise/bleed.h"

#include "core/advise/common.h"
#include "core/base/number.h"
#include "core/base/text.h"
#include "core/base/units.h"
#include "core/measure/kit/kit_mics.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace ember {
namespace {

constexpr int kFewStrokes = 5;         // of a drum that can hardly be told apart by them
constexpr int kSomeStrokes = 20;       // from which on it is told apart well
constexpr double kHeardDb = -45.0;     // against its own drum: softer is left as it is
constexpr double kInTheWayDb = -16.0;  // from which on half of it is taken
constexpr double kHalfDb = -6.0;
constexpr double kWorthDb = 3.0;  // won between the strokes (or under them), at least
constexpr std::array<double, 3> kCleanDb{-24.0, -12.0, -6.0};  // as much of it as does no harm
constexpr std::array<double, 3> kOverheadDb{-18.0, -12.0, -6.0};
// What a drum may lose in the sum of all microphones, by one of them and by all.
constexpr double kMissedDb = 1.0, kMissedInAllDb = 3.0;
constexpr double kCoverDb = -6.0;  // left of others between the strokes, under what covers it
constexpr double kLessDb = -12.0;  // where nothing covers it

std::string atLevel(double db) {
    return numberText(std::abs(db), 0) + " dB";
}

// The figures of one microphone as effects with their kinds, in the order they are shown.
struct Figure {
    EffectKind kind;
    const char* what;
    std::optional<double> BleedFigures::*of;
};
constexpr std::array<Figure, 4> kFigures{
    {{EffectKind::bleed, "between its strokes", &BleedFigures::between},
     {EffectKind::under, "others under its strokes", &BleedFigures::under},
     {EffectKind::standOut, "ghost notes stand out", &BleedFigures::standOut},
     {EffectKind::cover, "left, against others", &BleedFigures::cover}}};

std::size_t placeOf(const std::vector<std::string>& drums, std::string_view drum) {
    return static_cast<std::size_t>(std::find(drums.begin(), drums.end(), drum) - drums.begin());
}

std::size_t micOf(const BleedHeard& heard, std::string_view row) {
    return static_cast<std::size_t>(
        std::find_if(heard.mics.begin(), heard.mics.end(),
                     [&](const BleedHeard::Mic& m) { return m.row == row; }) -
        heard.mics.begin());
}

class BleedAdviser {
  public:
    BleedAdviser(const Session& session, const BleedHeard& heard, const KitMeasurement& measured,
                 BleedSchool school)
        : session_(session),
          heard_(heard),
          measured_(measured),
          school_(school),
          sums_(heard),
          gains_(gainsOf(session, heard)),
          started_(gains_),
          recorded_(unturned(heard)) {}

    std::vector<Proposal> run() {
        // What hears the whole kit first: there it matters most whether a drum would be missed.
        for (const bool close : {false, true}) {
            for (std::size_t m = 0; m < heard_.mics.size(); ++m) {
                const Row& row = *findRow(session_, heard_.mics[m].row);
                const Stage* bleed = findBleed(row);
                const std::string own = drumOfRow(session_, row.id);
                if (own.empty() == close || isUnsure(row) || row.mute ||
                    (bleed != nullptr && !bleed->drums.empty()))
                    continue;
                if (close)
                    cleanClose(row, m, own);
                else
                    kickOut(row, m);
            }
        }
        return std::move(out_);
    }

  private:
    [[nodiscard]] std::string name(const std::string& drum) const {
        return drumName(session_, drum);
    }
    [[nodiscard]] int struck(const std::string& drum) const {
        return static_cast<int>(std::count_if(measured_.strokes.strokes.begin(),
                                              measured_.strokes.strokes.end(),
                                              [&](const Stroke& s) { return s.drum == drum; }));
    }
    // The first of these gains by which a drum loses no more than it may in the sum of all
    // microphones; 0 where every one costs more.
    double turnable(std::size_t mic, std::size_t drum, std::span<const double> choices) {
        PartGains tried = gains_;
        const double before = sums_.level(gains_, drum);
        for (const double db : choices) {
            tried[mic][drum] = gains_[mic][drum] * gainFromDb(db);
            const double now = sums_.level(tried, drum);
            if (now > before - kMissedDb && now > sums_.level(started_, drum) - kMissedInAllDb)
                return db;
        }
        return 0.0;
    }

    Proposal begin(const Row& row, const std::string& drum, const char* id) const {
        Proposal p;
        p.id = row.id + "." + id;
        p.step = "bleed";
        p.row = row.id;
        p.stage = p.stageType = "bleed";
        p.drum = drum;
        p.model = heard_.model;
        p.evidence = evidenceOf(measured_, drum, false);
        return p;
    }

    PartGains after(std::size_t mic, const Proposal& p) const {
        PartGains out = gains_;
        for (const auto& [drum, db] : p.turned) {
            const std::size_t part = placeOf(heard_.drums, drum);
            out[mic][part] = gains_[mic][part] * (db <= kBleedLowest ? 0.0 : gainFromDb(db));
        }
        return out;
    }

    BleedFigures figuresAfter(std::size_t mic, const Proposal& p) const {
        const PartGains then = after(mic, p);
        return bleedFigures(heard_, then, mic, p.drum, recorded_, mostTaken(then[mic]));
    }

    // By how much the drum changes that loses most in the sum of all microphones.
    void sayWhatItCosts(Proposal& p, const PartGains& then) const {
        std::string worst;
        double most = 0.0;
        for (const auto& [drum, db] : p.turned) {
            const std::size_t part = placeOf(heard_.drums, drum);
            const double change = sums_.level(then, part) - sums_.level(gains_, part);
            if (!worst.empty() && change >= most) continue;
            most = change;
            worst = drum;
        }
        if (worst.empty()) return;
        p.effects.push_back(
            {EffectKind::together, name(worst) + ", all mics in mono", "dB", {}, most, {}});
        p.effects.back().drum = worst;
    }

    void cleanClose(const Row& row, std::size_t mic, const std::string& own) {
        const std::size_t ownPart = placeOf(heard_.drums, own);
        const std::vector<double> levels = drumsIn(heard_, mic);
        if (ownPart >= heard_.drums.size() || levels[ownPart] <= kSilenceDb) return;
        const bool clean = school_ == BleedSchool::clean;
        Proposal p = begin(row, own, "bleed");
        std::vector<std::string> spared, seldom;
        std::string loudest;
        double loudestDb = kSilenceDb;
        std::string rarest = own;
        if (struck(own) < kFewStrokes) return;
        for (std::size_t d = 0; d < heard_.drums.size(); ++d) {
            const double over = levels[d] - levels[ownPart];
            if (d == ownPart || levels[d] <= kSilenceDb || over < kHeardDb) continue;
            const int strokes = struck(heard_.drums[d]);
            if (over > loudestDb && strokes >= kFewStrokes) {
                loudestDb = over;
                loudest = heard_.drums[d];
            }
            if (!clean && over < kInTheWayDb) continue;
            if (strokes < kFewStrokes) {
                seldom.push_back(name(heard_.drums[d]));
                continue;
            }
            constexpr std::array<double, 1> half{kHalfDb};
            const std::span<const double> choices =
                clean ? std::span<const double>(kCleanDb) : std::span<const double>(half);
            const double db = turnable(mic, d, choices);
            if (db > choices.front()) spared.push_back(name(heard_.drums[d]));
            if (db < 0.0) {
                p.turned[heard_.drums[d]] = db;
                if (strokes < struck(rarest)) rarest = heard_.drums[d];
            }
        }
        if (p.turned.empty() || isDeclined(session_, p)) return;
        const BleedFigures before = bleedFigures(heard_, gains_, mic, own, recorded_, 0.0);
        BleedFigures then = figuresAfter(mic, p);
        bool uncovered = false;
        if (clean && then.cover && *then.cover > kCoverDb) {
            for (auto& [drum, db] : p.turned) {
                uncovered = uncovered || db < kLessDb;
                db = std::max(db, kLessDb);
            }
            then = figuresAfter(mic, p);
        }
        // What is hardly heard is left alone.
        const auto won = before.between && then.between ? *before.between - *then.between
                         : before.under && then.under   ? *before.under - *then.under
                                                        : 0.0;
        if (won < kWorthDb) return;
        const PartGains turned = after(mic, p);
        for (const Figure& figure : kFigures) {
            if (before.*figure.of && then.*figure.of)
                p.effects.push_back(
                    {figure.kind, figure.what, "dB", before.*figure.of, then.*figure.of, {}});
        }
        const double cymbals = cymbalLoudness(heard_, gains_),
                     left = cymbalLoudness(heard_, turned);
        if (cymbals > kSilenceDb)
            p.effects.push_back(
                {EffectKind::cymbals, "cymbals, all mics", "dB", {}, left - cymbals, {}});
        sayWhatItCosts(p, turned);
        p.school = clean ? "take bleed before anything lifts it" : "half of what stands in the way";
        p.title = clean ? (uncovered ? "Take some of the bleed" : "Take the bleed out")
                        : "Half of the bleed";
        p.reason = name(loudest) + " stands " + atLevel(loudestDb) +
                   (loudestDb > 0.0 ? " over " : " under ") + name(own) + " in this microphone. " +
                   (clean ? "Turned down before the equaliser and the compressor, it is not lifted "
                            "by them: both work on " +
                                name(own) + " alone."
                          : "Half of what is loudest goes; the rest keeps the kit in one room.");
        if (uncovered)
            p.reason +=
                " Only 12 dB, because nothing in the other microphones would cover what "
                "taking more leaves behind.";
        if (!spared.empty())
            p.reason += " " + listed(spared) + (spared.size() == 1 ? " stays" : " stay") +
                        " louder: the sum of all microphones would miss it.";
        if (!seldom.empty())
            p.reason += " Of " + listed(seldom) +
                        " too few strokes were heard to tell them apart: left as recorded.";
        const int fewest = struck(rarest);
        if (fewest < kSomeStrokes)
            p.reason += " Of " + name(rarest) + " only " + std::to_string(fewest) +
                        " strokes were heard: listen to what is taken.";
        p.confidence = fewest < kSomeStrokes ? 0.5 : 0.8;
        gains_ = turned;
        out_.push_back(std::move(p));
    }

    // A kick that its own microphones carry is not needed in those that hear the whole kit: there
    // it stands wherever they do.
    void kickOut(const Row& row, std::size_t mic) {
        const std::size_t kick = placeOf(heard_.drums, "kick");
        if (school_ != BleedSchool::clean || row.role != Role::overhead ||
            kick >= heard_.drums.size() || struck("kick") < kFewStrokes)
            return;
        const bool miked = std::any_of(heard_.mics.begin(), heard_.mics.end(), [&](const auto& m) {
            return drumOfRow(session_, m.row) == "kick";
        });
        const std::vector<double> levels = drumsIn(heard_, mic);
        if (!miked || levels[kick] < *std::max_element(levels.begin(), levels.end()) - 30.0) return;
        Proposal p = begin(row, "kick", "bleed-kick");
        if (isDeclined(session_, p)) return;
        const double db = turnable(mic, kick, kOverheadDb);
        if (db >= 0.0) return;
        p.turned["kick"] = db;
        const PartGains turned = after(mic, p);
        p.effects.push_back({EffectKind::part,
                             name("kick") + ", against the rest",
                             "dB",
                             partAgainstRest(heard_, gains_, mic, kick),
                             partAgainstRest(heard_, turned, mic, kick),
                             {}});
        p.effects.back().drum = "kick";
        sayWhatItCosts(p, turned);
        p.title = "Kick out of the overheads";
        p.school = "take bleed before anything lifts it";
        p.reason =
            "The kick has microphones of its own. Out of these it stands in the middle, and "
            "its low end is decided in one place; cymbals, snare and toms stay.";
        if (db > kOverheadDb.front())
            p.reason += " No more than this: the sum of all microphones would miss it.";
        p.confidence = 0.7;
        gains_ = turned;
        out_.push_back(std::move(p));
    }

    const Session& session_;
    const BleedHeard& heard_;
    const KitMeasurement& measured_;
    BleedSchool school_;
    DrumSums sums_;
    PartGains gains_, started_, recorded_;
    std::vector<Proposal> out_;
};

}  // namespace

std::vector<Proposal> adviseBleed(const Session& session, const BleedHeard& heard,
                                  const KitMeasurement& measured, BleedSchool school) {
    if (heard.mics.empty() || heard.strokes.empty()) return {};
    return BleedAdviser(session, heard, measured, school).run();
}

void measureBleedEffects(Proposal& p, const Session& accepted, const BleedHeard& heard) {
    const std::size_t mic = micOf(heard, p.row);
    if (mic >= heard.mics.size()) return;
    const PartGains now = unturned(heard);
    // What was silenced stays so: it was not heard.
    PartGains recorded = gainsOf(accepted, heard);
    for (auto& gains : recorded) {
        for (double& gain : gains) gain = gain > 0.0 ? 1.0 / gain : 1.0;
    }
    PartGains without = now;
    without[mic] = recorded[mic];
    const BleedFigures figures =
        bleedFigures(heard, now, mic, p.drum, recorded, mostTaken(gainsOf(accepted, heard)[mic]));
    for (Effect& e : p.effects) {
        for (const Figure& figure : kFigures) {
            if (figure.kind == e.kind) e.measured = figures.*figure.of;
        }
        if (e.kind == EffectKind::cymbals)
            e.measured = cymbalLoudness(heard, now) - cymbalLoudness(heard, without);
        const std::size_t part = placeOf(heard.drums, e.drum);
        if (part >= heard.drums.size()) continue;
        if (e.kind == EffectKind::together)
            e.measured = drumLevel(heard, now, part) - drumLevel(heard, without, part);
        if (e.kind == EffectKind::part) e.measured = partAgainstRest(heard, now, mic, part);
    }
}

}  // namespace ember
