// Layers that are struck by hand, and what of it is kept.

#include "app/workers/player.h"

namespace ember::app {

void Player::strike(const std::string& row, double velocity, int articulation) {
    if (plan_ == nullptr) return;
    if (device_ == nullptr || !device_->state().running) openDevice();
    const Row* struck = findRow(workspace_.session(), row);
    if (struck == nullptr || plan_->rowIndex(row) < 0) return;
    // Its layers rest while its print plays.
    if (gives(row) != Plan::Gives::live)
        return emit problem(tr("%1 %2: play it live to strike it by hand.")
                                .arg(QString::fromStdString(struck->name), givesText(row)));
    const std::uint32_t number =
        engine_.strike({plan_->rowIndex(row), velocity, articulation}, planNumber_);
    if (keeping_ && playing_ && number != 0)
        asked_[number] = {0.0, struck->drum, velocity, articulation};
    // Whatever is listened to in its place hears it, too.
    for (const Beside* beside :
         {&preview_, &passedBy_, &variants_[0].beside, &variants_[1].beside}) {
        if (beside->number == 0) continue;
        const int at = beside->plan->rowIndex(row);
        if (at >= 0) engine_.strike({at, velocity, articulation}, beside->number);
    }
}

void Player::setKeeping(bool on) {
    keeping_ = on;
}

// A bar before where the song stands.
Frames Player::countIn() const {
    if (!countIn_ || !keeping_) return 0;
    const double at = position();
    return static_cast<Frames>((at - barsLater(wanted().time, at, -1)) * wanted().sampleRate);
}

void Player::takeStruck() {
    Struck struck;
    while (engine_.pollStruck(struck)) {
        const auto at = asked_.extract(struck.number);
        if (!at || !struck.playing || workspace_.empty()) continue;
        // It was played to what was heard, which left here a device's latency before.
        at.mapped().time =
            std::max(0.0, static_cast<double>(struck.position) / workspace_.session().sampleRate -
                              1e-3 * device().latencyMs);
        take_.push_back(at.mapped());
    }
    if (keeping_ && playing_) return;
    if (!asked_.empty() && device().running) return;  // they are on their way
    asked_.clear();
    if (!take_.empty()) emit played(std::exchange(take_, {}));
}

}  // namespace ember::app
