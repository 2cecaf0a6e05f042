#include "core/base/error.h"
#include "core/dsp/align.h"
#include "core/dsp/band_dynamics.h"
#include "core/dsp/bleed.h"
#include "core/dsp/clipper.h"
#include "core/dsp/compressor.h"
#include "core/dsp/crusher.h"
#include "core/dsp/delay.h"
#include "core/dsp/equaliser.h"
#include "core/dsp/exciter.h"
#include "core/dsp/gate.h"
#include "core/dsp/limiter.h"
#include "core/dsp/modulation.h"
#include "core/dsp/part.h"
#include "core/dsp/processor.h"
#include "core/dsp/pump.h"
#include "core/dsp/resonator.h"
#include "core/dsp/reverb.h"
#include "core/dsp/saturation.h"
#include "core/dsp/seat.h"
#include "core/dsp/stroke_shape.h"
#include "core/dsp/transient.h"
#include "core/dsp/weight.h"

#include <array>

namespace ember {

std::span<const ProcessorType> processorTypes() {
    static const std::array types{
        alignType(),   bleedType(),     gateType(),       expanderType(),   strokeShapeType(),
        partType(),    equaliserType(), deHarsherType(),  compressorType(), transientType(),
        limiterType(), pumpType(),      saturationType(), exciterType(),    clipperType(),
        crusherType(), weightType(),    resonatorType(),  modulationType(), delayType(),
        reverbType(),  seatType()};
    return types;
}

const ProcessorType& processorType(std::string_view id) {
    for (const auto& type : processorTypes()) {
        if (type.id == id) return type;
    }
    std::string known;
    for (const auto& type : processorTypes()) known += (known.empty() ? "" : ", ") + type.id;
    throw Error("There is no processor “" + std::string(id) + "”; known are " + known + ".");
}

std::vector<double> standardValues(ParameterTable table) {
    std::vector<double> values;
    values.reserve(table.size());
    for (const auto& parameter : table) values.push_back(parameter.standard);
    return values;
}

}  // namespace ember
