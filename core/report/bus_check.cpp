#include "core/report/bus_check.h"

#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/units.h"
#include "core/measure/sound/spectrum.h"
#include "core/report/bus_members.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember {
namespace {

constexpr double kLooksFrom = 40.0, kLooksTo = 12000.0;  // Hz: where something can stick out

struct Member {
    const Row* row = nullptr;
    std::vector<float> mid;
    double midPower = 0.0, sidePower = 0.0;
    EarFrames frames;
};

double sideDbOf(double mid, double side) {
    return side <= 1e-15 ? -150.0 : 10.0 * std::log10(side / std::max(1e-15, mid));
}

// Loudest (of a hundred frames, five) against the usual one, of frames in which it sounds.
double rangeOf(const EarFrames& frames) {
    std::vector<double> levels;
    double most = -300.0;
    for (int f = 0; f < frames.frames(); ++f) {
        double sum = 1e-15;
        for (const float v : frames.at(f)) sum += static_cast<double>(v);
        levels.push_back(10.0 * std::log10(sum));
        most = std::max(most, levels.back());
    }
    std::erase_if(levels, [&](double db) { return db < most - 40.0; });
    if (levels.empty()) return 0.0;
    std::sort(levels.begin(), levels.end());
    const auto at = [&](double q) {
        return levels[static_cast<std::size_t>(q * static_cast<double>(levels.size() - 1))];
    };
    return at(0.95) - at(0.5);
}

std::string nameIn(const Session& session, const std::string& row) {
    const Row* r = findRow(session, row);
    return r != nullptr ? r->name : row;
}

// Who is loudest in the bands where a member is hidden.
void nameMasker(const std::vector<Member>& members, std::size_t own, const EarFrames& threshold,
                BusMember& out) {
    const std::vector<int> hidden = hiddenBands(members[own].frames, threshold);
    std::map<std::size_t, int> often;
    for (std::size_t f = 0; f < hidden.size(); ++f) {
        if (hidden[f] < 0) continue;
        std::size_t loudest = own;
        float most = 0.0F;
        for (std::size_t m = 0; m < members.size(); ++m) {
            const float power = m == own ? 0.0F
                                         : members[m].frames.at(static_cast<int>(
                                               f))[static_cast<std::size_t>(hidden[f])];
            if (power > most) {
                most = power;
                loudest = m;
            }
        }
        if (loudest != own) ++often[loudest];
    }
    const auto most =
        std::max_element(often.begin(), often.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
    if (most == often.end()) return;
    out.maskedBy = members[most->first].row->id;
    out.maskedHz = earBandHertz(out.heard.band);
}

std::vector<StickingOut> stickingOut(const std::vector<Member>& members, double rate) {
    std::vector<std::vector<double>> levels;
    SpectrumMeter sum(rate);
    std::vector<float> all(members.front().mid.size(), 0.0F);
    for (const Member& m : members) {
        SpectrumMeter one(rate);
        one.add(m.mid);
        levels.push_back(one.result(3).level);
        for (std::size_t i = 0; i < all.size(); ++i) all[i] += m.mid[i];
    }
    sum.add(all);
    const Spectrum s = sum.result(3);
    std::vector<StickingOut> out;
    for (std::size_t b = 2; b + 2 < s.level.size(); ++b) {
        if (s.frequency[b] < kLooksFrom || s.frequency[b] > kLooksTo) continue;
        const double around =
                         (s.level[b - 2] + s.level[b - 1] + s.level[b + 1] + s.level[b + 2]) / 4.0,
                     over = s.level[b] - around;
        if (over < kSticksOutDb) continue;
        std::size_t loudest = 0;
        for (std::size_t m = 1; m < members.size(); ++m) {
            if (levels[m][b] > levels[loudest][b]) loudest = m;
        }
        out.push_back({s.frequency[b], over, members[loudest].row->id});
    }
    std::sort(out.begin(), out.end(),
              [](const StickingOut& a, const StickingOut& b) { return a.db > b.db; });
    if (out.size() > 3) out.resize(3);
    return out;
}

}  // namespace

BusCheck checkBus(const Session& session, AudioStore& store, const std::string& bus, double from,
                  double to, const Progress& progress) {
    std::vector<Member> members;
    for (const RowAudio& one :
         busMembers(session, store, bus, true, from, to, within(progress, 0.0, 0.7))) {
        const Row& row = *findRow(session, one.row);
        if (!audible(session, row)) continue;
        Member m;
        m.row = &row;
        m.mid = sidesMixed(one.audio);
        for (std::size_t i = 0; i < m.mid.size(); ++i) {
            const float side = 0.5F * (one.audio.channels[0][i] - one.audio.channels[1][i]);
            m.midPower += static_cast<double>(m.mid[i]) * static_cast<double>(m.mid[i]);
            m.sidePower += static_cast<double>(side) * static_cast<double>(side);
        }
        members.push_back(std::move(m));
    }
    if (members.size() < 2)
        throw Error("“" + nameIn(session, bus) +
                    "” is fed by too few rows to look through; choose a bus with several members.");
    std::vector<float> all(members.front().mid.size(), 0.0F);
    for (Member& m : members) {
        m.frames = earFrames(m.mid, session.sampleRate);
        for (std::size_t i = 0; i < all.size(); ++i) all[i] += m.mid[i];
    }
    BusCheck out;
    out.bus = bus;
    double mid = 0.0, side = 0.0;
    for (std::size_t m = 0; m < members.size(); ++m) {
        report(progress, 0.7 + 0.3 * static_cast<double>(m) / static_cast<double>(members.size()),
               "Listening for " + members[m].row->name);
        std::vector<float> rest(all);
        for (std::size_t i = 0; i < rest.size(); ++i) rest[i] -= members[m].mid[i];
        const EarFrames threshold = maskedThreshold(earFrames(rest, session.sampleRate));
        BusMember& found = out.members.emplace_back();
        found.row = members[m].row->id;
        found.heard = audibilityOf(members[m].frames, threshold);
        found.sideDb = sideDbOf(members[m].midPower, members[m].sidePower);
        found.rangeDb = rangeOf(members[m].frames);
        nameMasker(members, m, threshold, found);
        mid += members[m].midPower;
        side += members[m].sidePower;
    }
    out.sideDb = sideDbOf(mid, side);
    out.rangeDb = rangeOf(earFrames(all, session.sampleRate));
    out.sticking = stickingOut(members, session.sampleRate);
    return out;
}

std::vector<std::string> busCheckText(const Session& session, const BusCheck& check) {
    std::vector<std::string> out;
    std::vector<const BusMember*> buried;
    int sounding = 0;
    for (const BusMember& m : check.members) {
        sounding += m.heard.sounds ? 1 : 0;
        if (m.heard.sounds && m.heard.share < kBuried) buried.push_back(&m);
    }
    const std::string bus = nameIn(session, check.bus);
    if (buried.empty())
        out.push_back("Every member of " + bus + " is heard.");
    else if (2 * static_cast<int>(buried.size()) > sounding)
        out.push_back("Most members of " + bus +
                      " hide behind each other: the fault is the bus. Make room by bands or by "
                      "panning before raising anything.");
    for (const BusMember* m : buried) {
        std::string text = nameIn(session, m->row) + " is buried: heard in " +
                           numberText(100.0 * m->heard.share, 0) + " % of the time it sounds";
        if (!m->maskedBy.empty())
            text += ", behind " + nameIn(session, m->maskedBy) + " around " +
                    numberText(m->maskedHz, 0) + " Hz";
        text += "; raised by " + numberText(m->heard.raiseDb, 1) +
                " dB, or with so much less of the others there, it is heard in 70 %.";
        out.push_back(std::move(text));
    }
    for (const StickingOut& s : check.sticking)
        out.push_back("Around " + numberText(s.hertz, 0) + " Hz the sum stands out by " +
                      numberText(s.db, 1) + " dB, mostly " + nameIn(session, s.row) + ".");
    return out;
}

}  // namespace ember
