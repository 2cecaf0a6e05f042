// What the equaliser's bench draws and says: the curves over the spectrum, the marks at their foot,
// and what the curve does.

#include "app/bench/eq_editor.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/advise/eq_fit.h"
#include "core/measure/kit/kit_mics.h"
#include "core/report/low_mids.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace ember::app {
namespace {

constexpr double kTopHertz = 4000.0;  // from here on up a boost lifts cymbals most

std::vector<double> curveFrequencies() {
    std::vector<double> f;
    for (int i = 0; i <= 480; ++i) f.push_back(20.0 * std::pow(1000.0, i / 480.0));
    return f;
}

}  // namespace

QString EqEditor::whatItDoes() const {
    bool any = false;
    for (int b = 0; b < kEqBands; ++b) any = any || eqBand(stage().values, b).on;
    if (!any) return tr("No band is on yet. A double click on the plot adds one there.");
    if (!stage().on) return tr("Off: the curve is drawn but not heard.");
    const double rate = bench_.workspace.session().sampleRate;
    if (!own_.level.empty()) {
        const std::vector<double> curve = eqResponseDb(stage().values, own_.frequency, rate);
        const double drum = curveGainDb(own_, curve, 20.0);
        QString text = tr("This drum’s strokes: %1 dB.").arg(change(drum));
        const double top = curveGainDb(own_, curve, kTopHertz);
        if (top > 0.5 && !bleed_.level.empty()) {
            const double leaked = curveGainDb(
                bleed_, eqResponseDb(stage().values, bleed_.frequency, rate), kTopHertz);
            text += " " + tr("Above %1 kHz the drum gains %2 dB, what bleeds in %3 dB.")
                              .arg(kTopHertz / 1000.0, 0, 'g', 2)
                              .arg(change(top), change(leaked));
        }
        return text + lowMidsText();
    }
    const StageTrace* t = trace();
    if (t == nullptr || t->before.level.empty()) return tr("Measuring this row …");
    double most = 0.0, where = 0.0;
    for (std::size_t i = 0; i < std::min(t->before.level.size(), t->after.level.size()); ++i) {
        const double change = t->after.level[i] - t->before.level[i];
        if (std::abs(change) > std::abs(most) && t->before.level[i] > -100.0) {
            most = change;
            where = t->before.frequency[i];
        }
    }
    return tr("Measured over the song: the largest change is %1 dB at %2 Hz.")
               .arg(change(most))
               .arg(figure(where, 0)) +
           lowMidsText();
}

QString EqEditor::lowMidsText() const {
    std::map<std::string, std::shared_ptr<const RowTrace>> held;
    const LowMids room =
        lowMids(bench_.workspace.session(), row_, [&](const std::string& id) -> const RowTrace* {
            return (held[id] = bench_.tracer.of(id)).get();
        });
    if (std::abs(room.byAllDb) < 0.05) return {};
    return " " + tr("Low mids of the whole kit: %1 dB by its equalisers, %2 dB by this row’s.")
                     .arg(change(room.byAllDb), change(room.byRowDb));
}

// What was measured of this drum, at the foot of the plot: its note and its rings.
void EqEditor::drawCandidates() {
    for (QCPItemLine* line : marks_) plot_->removeItem(line);
    for (QCPItemText* name : markNames_) plot_->removeItem(name);
    marks_.clear();
    markNames_.clear();
    const auto measured = bench_.listener.measured();
    const std::string drum = drumOfRow(bench_.workspace.session(), row_);
    if (drum.empty()) return;
    const Palette& p = colours();
    const auto mark = [&](double hertz, const QString& name, bool strong) {
        auto* line = new QCPItemLine(plot_);
        line->start->setCoords(hertz, -kCurveDb);
        line->end->setCoords(hertz, strong ? -0.62 * kCurveDb : -0.8 * kCurveDb);
        line->setPen(QPen(p.chalk, strong ? 1.6 : 1.0, strong ? Qt::SolidLine : Qt::DotLine));
        auto* text = new QCPItemText(plot_);
        text->position->setCoords(hertz, strong ? -0.6 * kCurveDb : -0.78 * kCurveDb);
        text->setPositionAlignment(Qt::AlignHCenter | Qt::AlignBottom);
        text->setText(name);
        text->setFont(face(11));
        text->setColor(p.chalk);
        text->setBrush(p.stave);
        text->setPadding({3, 1, 3, 1});
        marks_.push_back(line);
        markNames_.push_back(text);
    };
    if (const double wanted = noteTarget(bench_.workspace.session(), drum); wanted > 0.0)
        mark(wanted, tr("wanted %1").arg(frequencyLabel(wanted)), true);
    for (const DrumTone& tone : measured ? measured->tone : std::vector<DrumTone>{}) {
        if (tone.drum != drum) continue;
        if (tone.fundamental > 0.0)
            mark(tone.fundamental, tr("note %1").arg(frequencyLabel(tone.fundamental)), false);
        for (const Ring& ring : tone.rings)
            mark(ring.hertz,
                 tr("ring %1, %2 %")
                     .arg(frequencyLabel(ring.hertz))
                     .arg(figure(100.0 * ring.share, 0)),
                 true);
    }
}

void EqEditor::drawCurves() {
    const Palette& p = colours();
    static const std::vector<double> frequencies = curveFrequencies();
    const double rate = bench_.workspace.session().sampleRate;
    const auto toVector = [](const std::vector<double>& v) {
        return QVector<double>(v.begin(), v.end());
    };
    const QVector<double> x = toVector(frequencies);
    const QColor line = stage().on ? p.ember : p.quiet;
    curve_->setPen(QPen(line, 2.2, stage().on ? Qt::SolidLine : Qt::DashLine));
    const std::vector<double> rest = eqResponseDb(stage().values, frequencies, rate),
                              far = eqResponseDb(stage().values, frequencies, rate, EqMoved::far);
    curve_->setData(x, toVector(rest), true);
    far_->setPen(QPen(line, 1.4, Qt::DashLine));
    far_->setVisible(far != rest);
    far_->setData(x, toVector(far), true);
    // The chosen band alone, as ground under the whole.
    std::vector<double> alone = stage().values;
    for (int b = 0; b < kEqBands; ++b) {
        if (b != band_) alone[static_cast<std::size_t>(eqIndex(b, EqField::on))] = 0.0;
    }
    QColor soft = p.ember;
    soft.setAlpha(45);
    bandCurve_->setPen(Qt::NoPen);
    bandCurve_->setBrush(soft);
    bandCurve_->setData(x, toVector(eqResponseDb(alone, frequencies, rate)), true);
    const StageTrace* t = trace();
    QColor wave = p.wave;
    wave.setAlpha(110);
    ground_->setPen(Qt::NoPen);
    before_->setPen(QPen(p.wave, 1.0));
    before_->setBrush(wave);
    before_->setChannelFillGraph(ground_);
    after_->setPen(QPen(p.chalk, 1.2));
    const bool strokes = !own_.level.empty();
    if (!strokes && (t == nullptr || t->before.level.empty())) {
        before_->data()->clear();
        after_->data()->clear();
        return;
    }
    const Spectrum& before = strokes ? own_ : t->before;
    Spectrum after = strokes ? own_ : t->after;
    if (strokes) {
        const std::vector<double> curve = eqResponseDb(stage().values, own_.frequency, rate);
        for (std::size_t i = 0; i < curve.size(); ++i) after.level[i] += curve[i];
    }
    const double top = *std::max_element(before.level.begin(), before.level.end());
    const double high = std::ceil((top + 6.0) / 6.0) * 6.0, low = high - 72.0;
    plot_->yAxis2->setRange(low, high);
    ground_->setData(QVector<double>{20.0, 20000.0}, QVector<double>{low - 50.0, low - 50.0}, true);
    before_->setData(toVector(before.frequency), toVector(before.level), true);
    after_->setVisible(stage().on);
    after_->setData(toVector(after.frequency), toVector(after.level), true);
}

}  // namespace ember::app
