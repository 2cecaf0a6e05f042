#include "core/report/one_room.h"

#include "core/advise/bus_heard.h"
#include "core/base/error.h"
#include "core/base/number.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/engine/render.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"
#include "core/report/mix_figures.h"
#include "core/session/routing.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <optional>
#include <utility>

namespace ember {
namespace {

constexpr double kEarlyPart = 0.08, kLongestStroke = 0.6;  // seconds
constexpr double kWettest = 30.0;                          // dB
constexpr double kHardlyHeardDb = -24.0;
constexpr double kUnsentDb = -30.0;  // from where the level of a new send is looked for

// Of the drums with rows of their own: those rows.
std::vector<std::pair<std::string, std::vector<std::string>>> drumRows(const Session& session) {
    std::vector<std::pair<std::string, std::vector<std::string>>> out;
    for (const Row& row : session.rows) {
        if (row.kind != RowKind::element || row.mute) continue;
        const std::string drum = drumOfRow(session, row.id);
        if (drum.empty()) continue;
        const auto at = std::find_if(out.begin(), out.end(),
                                     [&](const auto& one) { return one.first == drum; });
        if (at == out.end())
            out.push_back({drum, {row.id}});
        else
            at->second.push_back(row.id);
    }
    return out;
}

double energyIn(const AudioBuffer& audio, std::size_t from, std::size_t to) {
    double sum = 0.0;
    for (const auto& side : audio.channels) {
        for (std::size_t i = from; i < std::min(to, side.size()); ++i)
            sum += static_cast<double>(side[i]) * static_cast<double>(side[i]);
    }
    return sum;
}

double ratioDb(double one, double other) {
    return 10.0 * std::log10(std::max(one, 1e-30) / std::max(other, 1e-30));
}

class Rooms {
  public:
    Rooms(const Session& session, AudioStore& store, double from, double to,
          const Progress& progress)
        : store_(store), rate_(session.sampleRate), progress_(progress), drums_(drumRows(session)) {
        options_.from = from;
        options_.to = to < 0.0 ? from + kLongestCompared : std::min(to, from + kLongestCompared);
        for (const Stroke& s : playedStrokes(session)) {
            if (s.time >= from && s.time < options_.to - kEarlyPart)
                strokes_[s.drum].push_back(s.time);
        }
        std::erase_if(drums_, [&](const auto& one) { return !strokes_.contains(one.first); });
    }

    [[nodiscard]] bool empty() const { return drums_.empty(); }

    // Every drum alone with what comes back of it; sets OneRoom's figures.
    [[nodiscard]] OneRoom measured(const Session& session) const {
        OneRoom out;
        for (const auto& [drum, rows] : drums_) out.drums.push_back(heard(session, drum, rows));
        std::vector<double> wet;
        for (const DrumRoom& one : out.drums) wet.push_back(one.wetDb);
        out.usualDb = median(wet);
        const auto [low, high] = std::minmax_element(wet.begin(), wet.end());
        out.spreadDb = *high - *low;
        for (DrumRoom& one : out.drums) one.apart = std::abs(one.wetDb - out.usualDb) > kOneRoomDb;
        return out;
    }

  private:
    [[nodiscard]] DrumRoom heard(const Session& session, const std::string& drum,
                                 const std::vector<std::string>& rows) const {
        std::vector<std::string> stay = rows;
        for (const Row& row : session.rows) {
            if (!hasSources(row.kind)) stay.push_back(row.id);
        }
        AudioBuffer dry{rate_, {{}, {}}}, wet = dry, both = dry;
        DrumRoom out;
        out.drum = drum;
        double loudest = -1.0, most = 0.0;
        for (const RowAudio& one :
             renderRows(withRowsAndKeys(session, stay), store_, options_, progress_)) {
            const bool own = std::find(rows.begin(), rows.end(), one.row) != rows.end();
            if (!own && !isSpace(session, *findRow(session, one.row))) continue;
            const double energy = energyIn(one.audio, 0, one.audio.frames());
            if (own && energy > loudest) {
                loudest = energy;
                out.row = one.row;
            }
            if (!own && energy > most) {
                most = energy;
                out.space = one.row;
            }
            addTo(own ? dry : wet, one.audio);
            addTo(both, one.audio);
        }
        double struck = 0.0, returned = 0.0, early = 0.0, late = 0.0;
        const std::vector<double>& strokes = strokes_.at(drum);
        for (std::size_t i = 0; i < strokes.size(); ++i) {
            const double end = std::min(strokes[i] + kLongestStroke,
                                        i + 1 < strokes.size() ? strokes[i + 1] : options_.to);
            const std::size_t from = frame(strokes[i]), to = frame(end),
                              split = std::min(to, frame(strokes[i] + kEarlyPart));
            struck += energyIn(dry, from, to);
            returned += energyIn(wet, from, to);
            early += energyIn(both, from, split);
            late += energyIn(both, split, to);
        }
        out.wetDb = std::clamp(ratioDb(returned, struck), kNoSpaceDb, kWettest);
        out.clarityDb = std::clamp(ratioDb(early, late), -kWettest, -kNoSpaceDb);
        if (out.wetDb <= kNoSpaceDb) out.space.clear();
        return out;
    }
    [[nodiscard]] std::size_t frame(double seconds) const {
        return static_cast<std::size_t>(
            std::max(0.0, std::round((seconds - options_.from) * rate_)));
    }

    AudioStore& store_;
    double rate_;
    const Progress& progress_;
    RenderOptions options_;
    std::vector<std::pair<std::string, std::vector<std::string>>> drums_;
    std::map<std::string, std::vector<double>> strokes_;
};

// Sends that bring these drums to a level, from where they are; they are measured in between.
std::optional<RoomRemedy> sharedSends(const Session& session, const Rooms& rooms,
                                      const OneRoom& found) {
    const auto wettest =
        std::max_element(found.drums.begin(), found.drums.end(),
                         [](const DrumRoom& a, const DrumRoom& b) { return a.wetDb < b.wetDb; });
    if (wettest->space.empty()) return std::nullopt;
    const double target = wettest->wetDb - kOneRoomDb;
    RoomRemedy out;
    for (const DrumRoom& one : found.drums) {
        if (one.wetDb >= target - 0.5) continue;
        const Send* there = findSend(*findRow(session, one.row), wettest->space);
        SendMove move{one.row, wettest->space, kUnsentDb, there != nullptr && there->before};
        if (there != nullptr && there->on)
            move.levelDb = std::max(kUnsentDb, there->levelDb + target - one.wetDb);
        out.moves.push_back(move);
    }
    if (out.moves.empty()) return std::nullopt;
    // Once more from what that gives: a reverb may be pressed or gated.
    constexpr int kRounds = 2;
    for (int round = 0; round < kRounds; ++round) {
        const OneRoom then = rooms.measured(withRemedy(session, out));
        for (SendMove& move : out.moves) {
            const auto at = std::find_if(then.drums.begin(), then.drums.end(),
                                         [&](const DrumRoom& one) { return one.row == move.row; });
            if (at != then.drums.end())
                move.levelDb =
                    std::clamp(move.levelDb + target - at->wetDb, kSendLowest, kSendHighest);
        }
    }
    out.spreadDb = rooms.measured(withRemedy(session, out)).spreadDb;
    return out;
}

std::optional<RoomRemedy> drierSends(const Session& session, const Rooms& rooms,
                                     const OneRoom& found) {
    RoomRemedy out;
    out.kind = RoomRemedy::Kind::dry;
    const double target = std::max(found.usualDb + kOneRoomDb, kHardlyHeardDb);
    for (const DrumRoom& one : found.drums) {
        if (one.wetDb <= target + 0.5) continue;
        for (const Row& row : session.rows) {
            if (row.kind != RowKind::element || drumOfRow(session, row.id) != one.drum) continue;
            for (const Send& send : row.sends) {
                const Row* to = findRow(session, send.to);
                if (!send.on || to == nullptr || !isSpace(session, *to)) continue;
                out.moves.push_back(
                    {row.id, send.to,
                     std::clamp(send.levelDb + target - one.wetDb, kSendLowest, kSendHighest),
                     send.before});
            }
        }
    }
    if (out.moves.empty()) return std::nullopt;
    out.spreadDb = rooms.measured(withRemedy(session, out)).spreadDb;
    return out;
}

std::string wetText(double wetDb) {
    return wetDb <= kNoSpaceDb ? std::string("none") : changeText(wetDb, 0) + " dB";
}

}  // namespace

bool isSpace(const Session& session, const Row& row) {
    if (row.kind != RowKind::bus) return false;
    const bool sounds = std::any_of(row.chain.begin(), row.chain.end(), [](const Stage& stage) {
        return stage.on && (stage.type == "reverb" || stage.type == "delay");
    });
    return sounds && std::any_of(session.rows.begin(), session.rows.end(), [&](const Row& other) {
               return findSend(other, row.id) != nullptr;
           });
}

OneRoom oneRoom(const Session& session, AudioStore& store, double from, double to,
                const Progress& progress) {
    const Rooms rooms(session, store, from, to, progress);
    if (rooms.empty())
        throw Error(
            "No drum with a row of its own is struck here; listen to the kit first, or choose a "
            "stretch in which it plays.");
    OneRoom out = rooms.measured(session);
    if (out.spreadDb <= kOneRoomDb) return out;
    for (const auto& remedy : {sharedSends(session, rooms, out), drierSends(session, rooms, out)}) {
        if (remedy && remedy->spreadDb < out.spreadDb - 1.0) out.remedies.push_back(*remedy);
    }
    return out;
}

std::vector<std::string> oneRoomText(const Session& session, const OneRoom& found) {
    const auto name = [&](const std::string& id) {
        const Row* row = findRow(session, id);
        return row != nullptr ? row->name : id;
    };
    if (std::none_of(found.drums.begin(), found.drums.end(),
                     [](const DrumRoom& one) { return !one.space.empty(); }))
        return {"No drum is sent to a space: all stand as they were recorded."};
    if (found.spreadDb <= kOneRoomDb)
        return {"The drums stand in one room: what comes back of them differs by " +
                numberText(found.spreadDb, 1) + " dB, and up to " + numberText(kOneRoomDb, 0) +
                " are heard as one."};
    std::vector<std::string> out;
    std::vector<std::string> wetter, drier;
    for (const DrumRoom& one : found.drums) {
        if (!one.apart) continue;
        const std::string who = drumName(session, one.drum);
        if (one.wetDb > found.usualDb)
            wetter.push_back(who + " (" + wetText(one.wetDb) + " in " + name(one.space) + ")");
        else
            drier.push_back(who + " (" + wetText(one.wetDb) + ")");
    }
    const std::string usual = found.usualDb <= kNoSpaceDb
                                  ? std::string("have no space")
                                  : "have " + wetText(found.usualDb) + " of it";
    if (!wetter.empty())
        out.push_back(listed(wetter) + (wetter.size() == 1 ? " stands" : " stand") +
                      " in another room than the rest: most drums " + usual + ".");
    if (!drier.empty())
        out.push_back(listed(drier) + (drier.size() == 1 ? " stands" : " stand") +
                      " outside the room the rest stand in: most drums " + usual + ".");
    if (out.empty())
        out.push_back("What comes back of the drums differs by " + numberText(found.spreadDb, 1) +
                      " dB from the wettest to the driest, step by step.");
    return out;
}

std::string roomRemedyText(const Session& session, const RoomRemedy& remedy) {
    std::vector<std::string> sends;
    for (const SendMove& move : remedy.moves) {
        const Row *row = findRow(session, move.row), *to = findRow(session, move.to);
        sends.push_back((row != nullptr ? row->name : move.row) + " to " +
                        (to != nullptr ? to->name : move.to) + " at " +
                        changeText(move.levelDb, 1) + " dB");
    }
    return (remedy.kind == RoomRemedy::Kind::share ? "Shared: " : "Drier: ") + listed(sends) +
           "; the drums then differ by " + numberText(remedy.spreadDb, 1) + " dB.";
}

Session withRemedy(Session session, const RoomRemedy& remedy) {
    for (const SendMove& move : remedy.moves) {
        const Send* there = findSend(requireRow(session, move.row), move.to);
        Send send = there != nullptr ? *there : Send{move.to, move.before};
        send.on = true;
        send.levelDb = move.levelDb;
        session = withSend(std::move(session), move.row, send);
    }
    return session;
}

}  // namespace ember
