#include "core/session/json_curve.h"

namespace ember {

using Json = nlohmann::ordered_json;

Json curvesToJson(const std::vector<Curve>& curves) {
    Json out = Json::array();
    for (const Curve& c : curves) {
        Json json{{"parameter", c.parameter}, {"on", c.on}};
        if (c.bars != 0) json["bars"] = c.bars;
        Json& points = json["points"] = Json::array();
        for (const CurvePoint& p : c.points)
            points.push_back(
                {{"quarter", p.quarter}, {"value", p.value}, {"shape", toString(p.shape)}});
        if (c.together)
            json["together"] = {{"movement", c.together->movement},
                                {"lowest", c.together->lowest},
                                {"highest", c.together->highest}};
        keepUnknown(json, c.extra);
        out.push_back(std::move(json));
    }
    return out;
}

std::vector<Curve> readCurves(Reader& in, ParameterTable table, const std::string& whose) {
    std::vector<Curve> out;
    in.array("curves", [&](const Json& item, const std::string& at) {
        Reader curve(item, at);
        Curve c{curve.requiredText("parameter")};
        const int index = parameterIndex(table, c.parameter);
        if (index < 0) throw unknownValue(at + ".parameter “" + c.parameter + "”", whose);
        const Parameter& parameter = table[static_cast<std::size_t>(index)];
        c.on = curve.flag("on", true);
        c.bars = static_cast<int>(curve.number("bars", 0, 0, kMostCurveBars));
        curve.array("points", [&](const Json& point, const std::string& where) {
            Reader p(point, where);
            CurvePoint read;
            read.quarter = p.number("quarter", 0.0, -kLastCurveQuarter, kLastCurveQuarter);
            read.value =
                p.number("value", parameter.standard, parameter.minimum, parameter.maximum);
            try {
                read.shape = curveShapeFrom(p.text("shape", "line"));
            } catch (const Error& error) {
                throw Error(where + ": " + error.what());
            }
            c.points.push_back(read);
        });
        if (const Json* together = curve.field("together")) {
            Reader t(*together, at + ".together");
            c.together = Together{
                t.requiredText("movement"),
                t.number("lowest", parameter.minimum, parameter.minimum, parameter.maximum),
                t.number("highest", parameter.maximum, parameter.minimum, parameter.maximum)};
        }
        if (const std::string problem = problemIn(c, parameter); !problem.empty())
            throw Error(at + ": " + problem);
        c.extra = curve.extra();
        out.push_back(std::move(c));
    });
    return out;
}

}  // namespace ember
