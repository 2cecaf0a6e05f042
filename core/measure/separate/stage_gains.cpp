#include "core/measure/separate/stage_gains.h"

#include "core/base/number.h"
#include "core/dsp/bleed.h"
#include "core/session/bleed.h"

#include <map>
#include <mutex>

namespace ember {
namespace {

double linear(double db) {
    return db <= kBleedLowest ? 0.0 : gainFromDb(db);
}

}  // namespace

std::shared_ptr<const BandGains> stageGains(const BleedModel& model, const Row& row,
                                            const Stage& stage, int channel) {
    const int place = model.channelOf(micOf(row), channel);
    if (place < 0) return nullptr;
    const double amount = 0.01 * stage.values[Bleed::amount];
    std::vector<double> gains;
    std::string key = stage.data + " " + std::to_string(place);
    const auto turn = [&](const std::string& drum) {
        const double db = drumGain(row, drum);
        // Half of silence is no silence.
        gains.push_back(linear(amount < 1.0 ? amount * db : db));
        key += " " + plainText(gains.back(), 9);
    };
    for (const std::string& drum : model.drums) turn(drum);
    turn(std::string(kNoDrum));
    const double floor = linear(stage.values[Bleed::floor]),
                 soft = 1e-3 * stage.values[Bleed::soft];
    key += " " + plainText(floor, 9) + " " + plainText(soft, 6);
    static std::mutex mutex;
    static std::map<std::string, std::weak_ptr<const BandGains>> held;
    {
        const std::lock_guard lock(mutex);
        if (auto known = held[key].lock()) return known;
    }
    auto made = std::make_shared<const BandGains>(bandGains(model, place, gains, floor, soft));
    const std::lock_guard lock(mutex);
    std::erase_if(held, [](const auto& entry) { return entry.second.expired(); });
    held[key] = made;
    return made;
}

}  // namespace ember
