#include "app/bench/bleed_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/measure/separate/stage_gains.h"
#include "core/session/bleed.h"

#include <algorithm>

namespace ember::app {

BleedEditor::BleedEditor(Bench bench, const std::string& row, const std::string& stage,
                         EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stage, size, parent) {
    plot_ = new Plot(this);
    plot_->setObjectName("bleed-plot");
    plot_->setAccessibleName(tr("What each drum in this microphone is turned to"));
    plot_->setToolTip(tr("One point a drum: up is louder, at the foot it is silent."));
    plot_->setKeySteps(1.0, 1.0);
    plot_->yAxis->setLabel(tr("turned to, dB"));
    plot_->yAxis->setRange(kBleedLowest - 2.0, kBleedHighest + 2.0);
    plots()->addWidget(plot_, 1);
    connect(plot_, &Plot::handleMoved, this,
            [this](const QString& drum, double, double y) { turn(drum.toStdString(), y); });
    connect(plot_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(plot_, &Plot::handleReset, this, [this](const QString& drum) {
        turn(drum.toStdString(), 0.0);
        bench_.workspace.endGesture();
    });
    for (std::size_t i = 0; i < processorType("bleed").table.size(); ++i)
        addField(static_cast<int>(i));
    numbers()->addStretch(1);
    refresh();
}

// Those that are told apart in this kit; where that is gone, those that are turned.
std::vector<std::string> BleedEditor::drums() const {
    std::vector<std::string> out;
    if (const auto model = findBleedModel(bench_.workspace.store(), stage().data))
        out = model->drums;
    for (const auto& [drum, db] : stage().drums) {
        if (drum != kNoDrum && std::find(out.begin(), out.end(), drum) == out.end())
            out.push_back(drum);
    }
    out.emplace_back(kNoDrum);
    return out;
}

void BleedEditor::turn(const std::string& drum, double db) {
    bench_.workspace.attempt(
        [&] {
            return withDrumGain(bench_.workspace.session(), row_, drum,
                                std::clamp(db, kBleedLowest, kBleedHighest));
        },
        row_ + "/bleed/" + drum);
}

void BleedEditor::redraw() {
    plot_->applyLook();
    const std::vector<std::string> all = drums();
    plot_->xAxis->setRange(0.4, static_cast<double>(all.size()) + 0.6);
    QVector<Handle> handles;
    const QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
    for (std::size_t i = 0; i < all.size(); ++i) {
        const double db = drumGain(row(), all[i]);
        const QString name =
            all[i] == kNoDrum
                ? tr("Rest")
                : QString::fromStdString(drumName(bench_.workspace.session(), all[i]));
        names->addTick(static_cast<double>(i + 1), name);
        handles.push_back({QString::fromStdString(all[i]),
                           tr("%1 %2").arg(name, QString::fromStdString(bleedText(db))),
                           Handle::Kind::point, static_cast<double>(i + 1), db,
                           db == 0.0 ? colours().quiet : colours().ember});
    }
    plot_->xAxis->setTicker(names);
    plot_->setHandles(handles);
    plot_->replot();
    const auto model = findBleedModel(bench_.workspace.store(), stage().data);
    if (model == nullptr) {
        say(tr(
            "What the kit was taken apart by is not there: the recording is played. Take it apart "
            "on Flow, Bleed (Ctrl+Shift+F)."));
        return;
    }
    const std::string problem = shapeProblem(*model, bench_.workspace.session(), row(), stage());
    say(problem.empty() ? tr("All drums in all microphones: Flow, Bleed (Ctrl+Shift+F).")
                        : QString::fromStdString(problem));
}

}  // namespace ember::app
