// What is known of single rows in what is heard.

#include "app/workers/player.h"

namespace ember::app {

// Until the newest plan is heard, what is measured stands in other places.
void Player::takeMeters() {
    if (plan_ == nullptr || shown_.plan != planNumber_) return meters_.clear();
    meters_.resize(static_cast<std::size_t>(plan_->rowCount()));
    for (int row = 0; row < plan_->rowCount(); ++row)
        plan_->takeMeter(row, meters_[static_cast<std::size_t>(row)]);
}

Plan::Gives Player::gives(const std::string& row) const {
    const int at = plan_ != nullptr ? plan_->rowIndex(row) : -1;
    return at < 0 ? Plan::Gives::live : plan_->gives(at);
}

QString Player::givesText(const std::string& row) const {
    switch (gives(row)) {
        case Plan::Gives::print:
            return tr("frozen");
        case Plan::Gives::nothing:
            return tr("rests");
        case Plan::Gives::live:
            break;
    }
    return {};
}

std::optional<double> Player::lateMs(const std::string& row) const {
    const int at = plan_ != nullptr ? plan_->rowIndex(row) : -1;
    if (at < 0) return {};
    return 1000.0 * plan_->latency(at) / plan_->sampleRate();
}

const RowMeter* Player::meter(const std::string& id) const {
    const int row = plan_ != nullptr ? plan_->rowIndex(id) : -1;
    return row >= 0 && row < std::ssize(meters_) ? &meters_[static_cast<std::size_t>(row)]
                                                 : nullptr;
}

}  // namespace ember::app
