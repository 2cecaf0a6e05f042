#include "core/engine/curve_reader.h"

#include <algorithm>

namespace ember {

std::span<const double> CurveReader::in(const TimeLine& time, int block) {
    const auto blocks = static_cast<int>(late_ / kBlock);
    const auto rest = static_cast<int>(late_ % kBlock);
    const std::span<double> out(values_);
    const double before = values_.back();
    const auto first = out.first(static_cast<std::size_t>(rest));
    // The end of one block comes first, then the begin of the next.
    if (rest > 0) fill(time, block - blocks - 1, kBlock - rest, first);
    fill(time, block - blocks, 0, out.subspan(first.size()));
    moved_ = !begun_ || adopted_ || values_.back() != before;
    begun_ = true;
    adopted_ = false;
    return out;
}

void CurveReader::fill(const TimeLine& time, int block, int offset, std::span<double> out) {
    // What was last heard is where the fade begins; a plan that is new has heard nothing.
    if (offset == 0 && begun_ && time.starts(block)) {
        from_ = out.data() == values_.data() ? values_.back() : *(out.data() - 1);
        faded_ = 0;
    }
    line_.read(time.at(block).position + offset, out);
    for (double& value : out) {
        if (faded_ >= kFade) return;
        const double share = static_cast<double>(++faded_) / static_cast<double>(kFade);
        value = from_ + share * (value - from_);
    }
}

void CurveReader::adopt(const CurveReader& other) {
    values_ = other.values_;
    begun_ = other.begun_;
    adopted_ = true;
    const bool same = line_ == other.line_ && late_ == other.late_;
    from_ = same ? other.from_ : other.values_.back();
    faded_ = same ? other.faded_ : 0;
    if (!begun_) faded_ = kFade;
}

}  // namespace ember
