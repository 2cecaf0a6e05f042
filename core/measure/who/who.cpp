#include "core/measure/who/who.h"

#include "core/measure/who/who_weights.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

namespace ember {
namespace {

constexpr std::size_t kRoles = kSoundRoles.size();
using Odds = std::array<double, kRoles>;

// What a name leaves to the other roles; the sound's probabilities are taken for less than they
// say, since they were fitted on other rooms.
constexpr double kTrustInSound = 0.7;
constexpr double kOnceOnly = 0.12;  // how likely a second one is of what comes once
constexpr double kNotSound = 1e-4;  // roles that sound does not know, without a name

std::optional<std::size_t> placeOf(Role role) {
    const auto at = std::find(kSoundRoles.begin(), kSoundRoles.end(), role);
    if (at == kSoundRoles.end()) return std::nullopt;
    return static_cast<std::size_t>(at - kSoundRoles.begin());
}

// How well a role that sound tells fits what a name says: the same, or one that the name leaves
// open ("Tom", "Kick").
double fits(Role named, Role heard) {
    if (named == heard) return 1.0;
    const auto one = [&](Role a, std::initializer_list<Role> open) {
        return named == a && std::find(open.begin(), open.end(), heard) != open.end();
    };
    if (one(Role::kick, {Role::kickIn, Role::kickOut}) ||
        one(Role::snare, {Role::snareTop, Role::snareBottom}) ||
        one(Role::tom, {Role::rackTom, Role::floorTom}) || one(Role::crash, {Role::ride}))
        return 1.0;
    // Neighbours that a name may well confuse.
    if (one(Role::kickIn, {Role::kickOut}) || one(Role::kickOut, {Role::kickIn}) ||
        one(Role::rackTom, {Role::floorTom}) || one(Role::floorTom, {Role::rackTom}) ||
        one(Role::overhead, {Role::room, Role::kit}) ||
        one(Role::room, {Role::overhead, Role::kit}) ||
        one(Role::kit, {Role::room, Role::overhead}))
        return 0.5;
    return 0.0;
}

bool comesOnce(Role role) {
    return role == Role::kickIn || role == Role::kickOut || role == Role::snareTop ||
           role == Role::snareBottom || role == Role::hat || role == Role::ride;
}

std::vector<Likely> others(const std::vector<Likely>& ranked, Role chosen) {
    std::vector<Likely> out;
    for (const Likely& l : ranked) {
        if (l.role != chosen && l.sure > 0.01 && out.size() < 2) out.push_back(l);
    }
    return out;
}

}  // namespace

Odds soundOdds(const Traits& traits) {
    Odds odds{};
    double most = -1e300;
    for (std::size_t r = 0; r < kRoles; ++r) {
        odds[r] = kWhoWeights[r][kTraits];
        for (std::size_t t = 0; t < kTraits; ++t) {
            if (kTraitScale[t] > 0.0)
                odds[r] += kWhoWeights[r][t] *
                           std::clamp((traits[t] - kTraitMean[t]) / kTraitScale[t], -4.0, 4.0);
        }
        most = std::max(most, odds[r]);
    }
    double sum = 0.0;
    for (double& o : odds) sum += o = std::exp(kTrustInSound * (o - most));
    for (double& o : odds) o /= sum;
    return odds;
}

std::vector<Who> whoIsWho(const std::vector<Candidate>& candidates, double rate) {
    const KitTraits kit = kitTraits(candidates, rate);
    std::vector<Who> out(candidates.size());
    std::vector<Odds> odds(candidates.size());
    std::array<double, kRoles> taken{};
    std::vector<std::size_t> open;
    for (std::size_t c = 0; c < candidates.size(); ++c) {
        const Candidate& candidate = candidates[c];
        Who& who = out[c];
        who.role = candidate.named;
        who.kind = candidate.kind;
        who.identity = {candidate.namedSure, {}, {}};
        if (candidate.namedSure > 0.0) who.identity.grounds.emplace_back("name");
        if (candidate.kind != RowKind::element || !kit.heard[c]) continue;
        odds[c] = soundOdds(kit.traits[c]);
        if (candidate.named == Role::unknown) {
            open.push_back(c);
            continue;
        }
        // Roles without a sound of their own are the name's alone.
        std::vector<Likely> ranked;
        double agrees = 0.0;
        for (std::size_t r = 0; r < kRoles; ++r) {
            agrees += fits(candidate.named, kSoundRoles[r]) * odds[c][r];
            ranked.push_back({kSoundRoles[r], odds[c][r]});
        }
        std::sort(ranked.begin(), ranked.end(),
                  [](const Likely& a, const Likely& b) { return a.sure > b.sure; });
        const bool known = fits(candidate.named, candidate.named) * agrees > 0.0 &&
                           (placeOf(candidate.named) || agrees > 0.0);
        if (known) {
            // Name and sound as independent witnesses: a name that is right as often as it says,
            // against the best of what sound says otherwise.
            const double right = candidate.namedSure * std::max(agrees, 1e-3),
                         wrong = (1.0 - candidate.namedSure) * std::max(1.0 - agrees, 1e-3);
            who.identity.sure = std::clamp(right / (right + wrong), 0.02, 0.995);
            if (agrees > 0.3) who.identity.grounds.emplace_back("sound");
            if (who.identity.sure < kSureEnough) who.identity.grounds = {"name"};
        }
        who.identity.alternatives = others(ranked, candidate.named);
        if (const auto at = placeOf(candidate.named)) taken[*at] += who.identity.sure;
        if (candidate.named == Role::kick) taken[*placeOf(Role::kickIn)] += 0.5;
        if (candidate.named == Role::snare) taken[*placeOf(Role::snareTop)] += 0.9;
    }
    // What no name tells, the surest first: a role that comes once is mostly gone when it is taken.
    while (!open.empty()) {
        std::size_t best = 0;
        double most = -1.0;
        std::vector<Odds> now;
        for (std::size_t i = 0; i < open.size(); ++i) {
            Odds o = odds[open[i]];
            double sum = 0.0;
            for (std::size_t r = 0; r < kRoles; ++r) {
                if (comesOnce(kSoundRoles[r])) o[r] *= std::pow(kOnceOnly, std::min(taken[r], 2.0));
                sum += o[r] += kNotSound;
            }
            for (double& v : o) v /= sum;
            const double top = *std::max_element(o.begin(), o.end());
            if (top > most) {
                most = top;
                best = i;
            }
            now.push_back(o);
        }
        const std::size_t c = open[best];
        std::vector<Likely> ranked;
        for (std::size_t r = 0; r < kRoles; ++r) ranked.push_back({kSoundRoles[r], now[best][r]});
        std::sort(ranked.begin(), ranked.end(),
                  [](const Likely& a, const Likely& b) { return a.sure > b.sure; });
        Who& who = out[c];
        who.role = ranked.front().role;
        who.identity = {ranked.front().sure, {"sound"}, others(ranked, who.role)};
        if (candidates.size() > 1) who.identity.grounds.emplace_back("kit");
        taken[*placeOf(who.role)] += who.identity.sure;
        open.erase(open.begin() + static_cast<std::ptrdiff_t>(best));
    }
    return out;
}

}  // namespace ember
