#include "app/hits/stroke_opening_dialog.h"

#include "app/hits/curve_form.h"
#include "app/widgets/parameter_field.h"
#include "core/measure/strokes/played.h"

#include <QLabel>
#include <QPushButton>

#include <algorithm>

namespace ember::app {

StrokeOpeningDialog::StrokeOpeningDialog(const Session& session, const CurvePlace& place,
                                         QWidget* parent)
    : QDialog(parent) {
    setWindowTitle(tr("Open at strokes"));
    auto* form = curveForm(this, session, place);
    const Parameter& parameter = curveParameter(session, place);
    drum_ = new QComboBox(this);
    drum_->setObjectName("opening-drum");
    std::vector<std::string> drums;
    for (const Stroke& s : playedStrokes(session)) {
        if (std::find(drums.begin(), drums.end(), s.drum) == drums.end()) drums.push_back(s.drum);
    }
    for (const std::string& drum : drums)
        drum_->addItem(QString::fromStdString(drumName(session, drum)),
                       QString::fromStdString(drum));
    // Its own drum, where it stands at one.
    if (const int own = drum_->findData(QString::fromStdString(findRow(session, place.row)->drum));
        own >= 0)
        drum_->setCurrentIndex(own);
    kind_ = new QComboBox(this);
    kind_->setObjectName("opening-kind");
    kind_->addItem(tr("every stroke"), -1);
    for (const StrokeKind kind :
         {StrokeKind::accent, StrokeKind::normal, StrokeKind::ghost, StrokeKind::flam})
        kind_->addItem(QString::fromUtf8(toString(kind).data()), static_cast<int>(kind));
    const auto count = [&](const char* name, int value) {
        auto* box = new QSpinBox(this);
        box->setObjectName(name);
        box->setRange(1, 1000);
        box->setValue(value);
        return box;
    };
    every_ = count("opening-every", 1);
    first_ = count("opening-first", 1);
    const double set = valueUnder(session, place);
    open_ = numberField(this, "opening-open", parameter,
                        set > parameter.minimum ? set : parameter.standard);
    closed_ = numberField(this, "opening-closed", parameter, parameter.minimum);
    length_ = new QComboBox(this);
    length_->setObjectName("opening-length");
    for (const std::string& note : noteValues())
        length_->addItem(QString::fromStdString(note), noteMilliseconds(note, 60.0) / 1000.0);
    length_->setCurrentText(QStringLiteral("1/8"));
    addLine(form, tr("Strokes of"), drum_);
    addLine(form, tr("Kind"), kind_);
    addLine(form, tr("Of them, one in"), every_);
    addLine(form, tr("Beginning with"), first_);
    addLine(form, tr("Stands at"), open_);
    addLine(form, tr("Between, at"), closed_);
    addLine(form, tr("Stays open for"), length_);
    auto* buttons = endForm(this, form, "opening-draw", tr("Draw the curve"));
    buttons->findChild<QPushButton*>("opening-draw")->setEnabled(drum_->count() > 0);
    if (drum_->count() == 0)
        form->insertRow(1, new QLabel(tr("No strokes are known yet: the kit is still listened "
                                         "to."),
                                      this));
}

StrokeOpening StrokeOpeningDialog::opening() const {
    StrokeOpening o;
    o.drum = drum_->currentData().toString().toStdString();
    if (const int kind = kind_->currentData().toInt(); kind >= 0)
        o.kind = static_cast<StrokeKind>(kind);
    o.every = every_->value();
    o.first = first_->value();
    o.open = open_->value();
    o.closed = closed_->value();
    o.quarters = length_->currentData().toDouble();
    return o;
}

}  // namespace ember::app
