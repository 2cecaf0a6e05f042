// Two mixes of the open song, heard in turn at the same loudness.

#include "app/workers/player.h"
#include "core/engine/trace.h"

#include <QtConcurrent/QtConcurrentRun>

namespace ember::app {

void Player::setVariants(const Variants& variants, const std::string& row) {
    if (workspace_.empty()) return endVariants();
    comparing_ = true;
    heardRow_ = row;
    for (std::size_t side = 0; side < variants.size(); ++side) {
        Variant& variant = variants_[side];
        const bool same = variant.mix == variants[side];
        variant.mix = variants[side];
        if (!variant.mix)
            drop(variant.beside);
        else if (!same || variant.beside.number == 0)
            variant.beside.maker.make(*variant.mix);
    }
    weighVariants();
}

void Player::endVariants() {
    if (!comparing_) return;
    comparing_ = false;
    heardSide_.reset();
    abandonVariants_ = true;
    weighingVariants_.waitForFinished();
    variantDb_.reset();
    listen();
    for (Variant& variant : variants_) {
        drop(variant.beside);
        variant.mix.reset();
    }
    emit variantChanged();
}

void Player::hearVariant(std::optional<Side> side) {
    if (!comparing_ || heardSide_ == side) return;
    heardSide_ = side;
    if (variantsReady()) listen(nextBeatAt());
    emit variantChanged();
}

bool Player::variantsReady() const {
    for (const Variant& variant : variants_) {
        if (variant.mix && variant.beside.number == 0) return false;
    }
    return comparing_ && variantDb_.has_value();
}

void Player::variantMade(std::size_t side, PlanMaker::Made& made) {
    keep(variants_[side].beside, made);
    if (variants_[side].beside.number == 0) return endVariants();
    if (variantsReady()) listen(nextBeatAt());
    emit variantChanged();
}

void Player::growDifference(double db) {
    grownDb_ = db;
    if (heardSide_ == Side::difference && variantsReady()) listen();
}

Listen Player::variantHeard() const {
    const auto rowOf = [this](const Variant& variant) {
        const Plan* plan = variant.mix ? variant.beside.plan : plan_;
        return heardRow_.empty() || plan == nullptr ? -1 : plan->rowIndex(heardRow_);
    };
    const auto numberOf = [](const Variant& variant) {
        return variant.mix ? variant.beside.number : 0;
    };
    const Variant &first = variants_[0], &second = variants_[1];
    if (*heardSide_ == Side::second) return {numberOf(second), rowOf(second), *variantDb_};
    Listen what{numberOf(first), rowOf(first)};
    if (*heardSide_ == Side::difference) {
        what.gainDb = grownDb_;
        what.less = Listen::Less{numberOf(second), rowOf(second), *variantDb_ + grownDb_};
    }
    return what;
}

// By how much the second has to be turned to be as loud as the first, in the background.
void Player::weighVariants() {
    abandonVariants_ = true;
    weighingVariants_.waitForFinished();
    abandonVariants_ = false;
    variantDb_.reset();
    const Session& own = workspace_.session();
    const auto [from, to] = comparedSpan(own);
    weighingVariants_.setFuture(QtConcurrent::run(
        [this, first = variants_[0].mix.value_or(own), second = variants_[1].mix.value_or(own),
         store = &workspace_.store(), row = heardRow_, from = from, to = to] {
            try {
                return mixGainDb(
                    second, first, *store, row, from, to,
                    [this](double, const std::string&) { return !abandonVariants_.load(); });
            } catch (const std::exception&) {
                return 0.0;  // abandoned, or nothing to hear
            }
        }));
    emit variantChanged();
}

}  // namespace ember::app
