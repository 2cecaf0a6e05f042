#include "core/measure/separate/stage_gains.h"

#include "core/base/number.h"
#include "core/dsp/bleed.h"
#include "core/measure/separate/channel_gains.h"
#include "core/session/bleed.h"

#include <algorithm>
#include <map>
#include <mutex>

namespace ember {
namespace {

double linear(double db) {
    return db <= kBleedLowest ? 0.0 : gainFromDb(db);
}

// Channels of microphones that hear the room: those that stand in it, or the overheads where none
// does.
std::vector<int> roomChannels(const BleedModel& model, const Session& session) {
    std::vector<int> out;
    for (const Role role : {Role::room, Role::overhead}) {
        for (std::size_t c = 0; c < model.channels.size(); ++c) {
            const Row* row = findRow(session, model.channels[c].row);
            if (row != nullptr && row->role == role) out.push_back(static_cast<int>(c));
        }
        if (!out.empty()) break;
    }
    return out;
}

// The drums that a row's shape is done to.
std::vector<int> shapedDrums(const BleedModel& model, const Row& row) {
    std::vector<int> out;
    for (std::size_t d = 0; d < model.drums.size(); ++d) {
        if (row.drum.empty() ? hearsAll(row.role) : row.drum == model.drums[d])
            out.push_back(static_cast<int>(d));
    }
    return out;
}

ChannelTurns turnsOf(const BleedModel& model, const Session& session, const Row& row,
                     const Stage& stage) {
    const double amount = 0.01 * stage.values[Bleed::amount];
    ChannelTurns out;
    const auto turn = [&](double db) {
        // Half of silence is no silence.
        return linear(amount < 1.0 ? amount * db : db);
    };
    for (const std::string& drum : model.drums) out.parts.push_back(turn(drumGain(row, drum)));
    out.parts.push_back(turn(drumGain(row, kNoDrum)));
    out.floor = linear(stage.values[Bleed::floor]);
    out.soft = 1e-3 * stage.values[Bleed::soft];
    out.shape = {0.01 * amount * stage.values[Bleed::even],
                 0.01 * amount * stage.values[Bleed::crisp], turn(stage.values[Bleed::room])};
    out.own = shapedDrums(model, row);
    if (out.shape.room != 1.0) out.room = roomChannels(model, session);
    return out;
}

// What tells turns apart.
std::string keyOf(const ChannelTurns& turns) {
    std::string key;
    for (const double gain : turns.parts) key += " " + plainText(gain, 9);
    for (const double value :
         {turns.floor, turns.soft, turns.shape.even, turns.shape.crisp, turns.shape.room})
        key += " " + plainText(value, 9);
    for (const auto* list : {&turns.own, &turns.room}) {
        key += " /";
        for (const int at : *list) key += " " + std::to_string(at);
    }
    return key;
}

}  // namespace

bool changesSound(const Stage& bleed) {
    return !bleed.drums.empty() || bleed.values[Bleed::even] != 0.0 ||
           bleed.values[Bleed::crisp] != 0.0 || bleed.values[Bleed::room] != 0.0;
}

std::string shapeProblem(const BleedModel& model, const Session& session, const Row& row,
                         const Stage& bleed) {
    const bool strokes = bleed.values[Bleed::even] != 0.0 || bleed.values[Bleed::crisp] != 0.0,
               room = bleed.values[Bleed::room] != 0.0;
    if (!strokes && !room) return {};
    const std::vector<int> own = shapedDrums(model, row);
    if (own.empty())
        return "No drum that “" + row.name + "” stands at was struck: there is nothing to shape.";
    const bool enough = std::any_of(own.begin(), own.end(), [&](int drum) {
        return std::count_if(model.hits.begin(), model.hits.end(), [&](const auto& hit) {
                   return hit.drum == drum;
               }) >= static_cast<std::ptrdiff_t>(kUsualStrokes);
    });
    if (strokes && !enough)
        return "Fewer than " + std::to_string(kUsualStrokes) +
               " strokes were found: what is usual of them is not known, and they stay.";
    // A channel that stands in the room itself has nobody to tell it by but the others there.
    const std::vector<int> far = roomChannels(model, session);
    const int place = model.channelOf(micOf(row), 0);
    const bool told = model.drums.size() > 1 &&
                      std::any_of(far.begin(), far.end(), [&](int c) { return c != place; });
    if (room && !told)
        return "No other microphone stands in the room, or no other drum is heard: its own room "
               "cannot be told apart, and stays.";
    return {};
}

std::shared_ptr<const BandGains> stageGains(const BleedModel& model, const Session& session,
                                            const Row& row, const Stage& stage, int channel) {
    const int place = model.channelOf(micOf(row), channel);
    if (place < 0) return nullptr;
    const ChannelTurns turns = turnsOf(model, session, row, stage);
    const std::string key = stage.data + " " + std::to_string(place) + keyOf(turns);
    static std::mutex mutex;
    static std::map<std::string, std::weak_ptr<const BandGains>> held;
    {
        const std::lock_guard lock(mutex);
        if (auto known = held[key].lock()) return known;
    }
    auto made = std::make_shared<const BandGains>(bandGains(model, place, turns));
    const std::lock_guard lock(mutex);
    std::erase_if(held, [](const auto& entry) { return entry.second.expired(); });
    held[key] = made;
    return made;
}

}  // namespace ember
