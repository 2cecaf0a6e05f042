#include "app/hits/movement_dialogs.h"

#include "app/hits/curve_form.h"
#include "app/widgets/parameter_field.h"

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

#include <algorithm>

namespace ember::app {
namespace {

// Where a movement of it would go at first: as its curve does, or a sixth of its range downwards.
std::pair<double, double> usualRange(const Session& session, const CurvePlace& place) {
    const Parameter& parameter = curveParameter(session, place);
    if (const Curve* known = findCurve(session, place)) {
        if (known->together) return {known->together->lowest, known->together->highest};
        const auto [low, high] = std::minmax_element(
            known->points.begin(), known->points.end(),
            [](const CurvePoint& a, const CurvePoint& b) { return a.value < b.value; });
        if (low->value != high->value) return {low->value, high->value};
    }
    constexpr double kShare = 1.0 / 6.0;
    const double set = valueUnder(session, place), at = toPosition(parameter, set);
    return at > kShare ? std::pair(fromPosition(parameter, at - kShare), set)
                       : std::pair(set, fromPosition(parameter, at + kShare));
}

}  // namespace

WaveDialog::WaveDialog(const Session& session, const CurvePlace& place, QWidget* parent)
    : QDialog(parent) {
    setWindowTitle(tr("A wave"));
    auto* form = curveForm(this, session, place);
    form_ = new QComboBox(this);
    form_->setObjectName("wave-form");
    for (const auto& [known, name] :
         {std::pair(WaveForm::sine, tr("Sine")), std::pair(WaveForm::triangle, tr("Triangle")),
          std::pair(WaveForm::rise, tr("Rises, and begins anew")),
          std::pair(WaveForm::fall, tr("Falls, and begins anew")),
          std::pair(WaveForm::square, tr("Low, then high"))})
        form_->addItem(name, static_cast<int>(known));
    const auto count = [this](const char* name, int most) {
        auto* box = new QSpinBox(this);
        box->setObjectName(name);
        box->setRange(1, most);
        return box;
    };
    bars_ = count("wave-bars", kMostCurveBars);
    cycles_ = count("wave-cycles", kMostCycles);
    // A movement may be followed the other way round; a wave has a bottom and a top.
    const auto [from, to] = usualRange(session, place);
    const Parameter& parameter = curveParameter(session, place);
    lowest_ = numberField(this, "wave-lowest", parameter, std::min(from, to));
    highest_ = numberField(this, "wave-highest", parameter, std::max(from, to));
    addLine(form, tr("Shape"), form_);
    addLine(form, tr("Bars"), bars_);
    addLine(form, tr("Times in them"), cycles_);
    addLine(form, tr("Lowest"), lowest_);
    addLine(form, tr("Highest"), highest_);
    endForm(this, form, "wave-draw", tr("Draw it"));
}

Wave WaveDialog::wave() const {
    return {static_cast<WaveForm>(form_->currentData().toInt()), bars_->value(), cycles_->value(),
            lowest_->value(), highest_->value()};
}

TogetherDialog::TogetherDialog(const Session& session, const CurvePlace& place, QWidget* parent)
    : QDialog(parent) {
    setWindowTitle(tr("Move together"));
    auto* form = curveForm(this, session, place);
    auto* words = new QLabel(tr("Parameters that follow one movement go the same way at the same "
                                "time, each as far as you say here. Editing the curve of one "
                                "moves all."),
                             this);
    words->setWordWrap(true);
    words->setProperty("quiet", true);
    form->addRow(words);
    movement_ = new QComboBox(this);
    movement_->setObjectName("together-movement");
    movement_->setEditable(true);
    movement_->lineEdit()->setMaxLength(40);
    movement_->setToolTip(tr("One that is there, or a new name."));
    for (const std::string& name : movements(session))
        movement_->addItem(QString::fromStdString(name));
    const Curve* known = findCurve(session, place);
    const bool follows = known != nullptr && known->together.has_value();
    if (follows)
        movement_->setCurrentText(QString::fromStdString(known->together->movement));
    else if (movement_->count() == 0)
        movement_->setCurrentText(tr("Movement 1"));
    const auto [low, high] = usualRange(session, place);
    const Parameter& parameter = curveParameter(session, place);
    lowest_ = numberField(this, "together-lowest", parameter, low);
    highest_ = numberField(this, "together-highest", parameter, high);
    addLine(form, tr("Movement"), movement_);
    addLine(form, tr("At its bottom"), lowest_);
    addLine(form, tr("At its top"), highest_);
    auto* buttons = endForm(this, form, "together-follow", tr("Follow it"));
    auto* alone = buttons->addButton(tr("By itself"), QDialogButtonBox::DestructiveRole);
    alone->setObjectName("together-alone");
    alone->setToolTip(tr("Keeps its curve, and follows no other."));
    alone->setEnabled(follows);
    connect(alone, &QPushButton::clicked, this, [this] {
        alone_ = true;
        accept();
    });
}

std::string TogetherDialog::movement() const {
    return movement_->currentText().trimmed().toStdString();
}
double TogetherDialog::lowest() const {
    return lowest_->value();
}
double TogetherDialog::highest() const {
    return highest_->value();
}

}  // namespace ember::app
