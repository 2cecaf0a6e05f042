#include "app/layers/layer_fields.h"

#include "app/widgets/labels.h"
#include "core/session/layers.h"

#include <QVBoxLayout>

#include <array>
#include <cmath>

namespace ember::app {
namespace {

struct Section {
    const char* title;
    std::vector<Layer::Index> fields;
};

const std::vector<Section>& sections() {
    static const std::vector<Section> all{
        {QT_TRANSLATE_NOOP("LayerFields", "In the stack"),
         {Layer::on, Layer::part, Layer::level, Layer::pan, Layer::offset, Layer::polarity}},
        {QT_TRANSLATE_NOOP("LayerFields", "The sound"),
         {Layer::pitch, Layer::keepLength, Layer::lowCut, Layer::highCut, Layer::slope,
          Layer::resonance, Layer::drive, Layer::start, Layer::length, Layer::fadeIn,
          Layer::fadeOut}},
        {QT_TRANSLATE_NOOP("LayerFields", "Which strokes"),
         {Layer::struckBy, Layer::above, Layer::every, Layer::first, Layer::share, Layer::way,
          Layer::spareGhosts, Layer::spareFlams, Layer::follow, Layer::choke}}};
    return all;
}

}  // namespace

LayerFields::LayerFields(Workspace& workspace, QWidget* parent)
    : QScrollArea(parent), workspace_(workspace) {
    setObjectName("layer-fields");
    setWidgetResizable(true);
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

void LayerFields::show(const std::string& row, const std::string& layer) {
    if (row == row_ && layer == layer_) return refresh();
    row_ = row;
    layer_ = layer;
    fields_.clear();
    delete takeWidget();
    const Row* of = findRow(workspace_.session(), row);
    if (of == nullptr || findLayer(*of, layer) == nullptr) return;
    auto* content = new QWidget(this);
    auto* box = new QVBoxLayout(content);
    box->setContentsMargins(0, 0, 10, 0);
    box->setSpacing(4);
    for (const Section& section : sections()) {
        box->addWidget(titleLabel(tr(section.title), content));
        for (const Layer::Index index : section.fields) {
            const Parameter& parameter = layerTable()[index];
            ParameterField::Access access;
            access.get = [this, index] {
                const Row* r = findRow(workspace_.session(), row_);
                const Layer* l = r != nullptr ? findLayer(*r, layer_) : nullptr;
                return l != nullptr ? l->at(index) : layerTable()[index].standard;
            };
            access.put = [this, &parameter](double value, bool gesture) {
                workspace_.attempt(
                    [&] {
                        return withLayerValue(workspace_.session(), row_, layer_, parameter.id,
                                              value);
                    },
                    gesture ? row_ + "/" + layer_ + "/" + parameter.id : std::string());
            };
            fields_.push_back(new ParameterField(workspace_, parameter, access, {}, content));
            box->addWidget(fields_.back());
        }
        box->addSpacing(8);
    }
    box->addStretch(1);
    setWidget(content);
    showWhatCounts();
}

void LayerFields::refresh() {
    for (ParameterField* field : fields_) field->refresh();
    showWhatCounts();
}

// Of the numbers of the rules only the chosen one's means something.
void LayerFields::showWhatCounts() {
    const Row* row = findRow(workspace_.session(), row_);
    const Layer* layer = row != nullptr ? findLayer(*row, layer_) : nullptr;
    if (layer == nullptr) return;
    const auto rule = static_cast<StruckBy>(std::lround(layer->at(Layer::struckBy)));
    const std::array<std::pair<Layer::Index, StruckBy>, 4> needs{
        {{Layer::above, StruckBy::above},
         {Layer::every, StruckBy::everyNth},
         {Layer::first, StruckBy::everyNth},
         {Layer::share, StruckBy::share}}};
    for (ParameterField* field : fields_) {
        for (const auto& [index, by] : needs) {
            if (field->parameterId() == layerTable()[index].id) field->setVisible(rule == by);
        }
    }
}

}  // namespace ember::app
