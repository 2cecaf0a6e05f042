#include "app/bench/seat_editor.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "core/dsp/seat.h"

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kLow = -48.0;

const Stage* seatOf(const Row& row) {
    return row.chain.empty() || row.chain.back().type != "seat" ? nullptr : &row.chain.back();
}

}  // namespace

SeatEditor::SeatEditor(Bench bench, const std::string& row, const std::string& stageId,
                       EditorSize size, QWidget* parent)
    : StageEditor(bench, row, stageId, size, parent) {
    plot_ = new Plot(this);
    plot_->setObjectName("seat-plot");
    plot_->setAccessibleName(tr("Pan and level among the other rows"));
    plot_->setToolTip(tr(
        "Left to right is pan, up is louder. Drag the point; the small ones are the other rows."));
    plot_->setKeySteps(2.0, 0.5);
    others_ = plot_->addGraph();
    others_->setLineStyle(QCPGraph::lsNone);
    plot_->setupPanAxis();
    plot_->yAxis->setLabel(tr("level, dB"));
    plots()->addWidget(plot_, 1);
    meter_ = new LevelMeter(this);
    plots()->addWidget(meter_);
    connect(plot_, &Plot::handleMoved, this, [this](const QString&, double x, double y) {
        Session next = bench_.workspace.session();
        Stage& s = requireStage(requireRow(next, row_), stage_);
        const auto set = [&](int index, double v) {
            s.values[static_cast<std::size_t>(index)] =
                std::clamp(v, parameter(index).minimum, parameter(index).maximum);
        };
        // The middle is easy to hit.
        if (std::isfinite(x))
            set(Seat::pan,
                std::abs(x) < 2.5 && std::abs(x - value(Seat::pan)) > 0.01 && !plot_->hasFocus()
                    ? 0.0
                    : x);
        if (std::isfinite(y)) set(Seat::level, std::clamp(y, kLow, 12.0));
        s.mark = Mark::decided;
        bench_.workspace.edit(std::move(next), row_ + "/seat/place");
    });
    connect(plot_, &Plot::handleReleased, this, [this] { bench_.workspace.endGesture(); });
    connect(plot_, &Plot::handleReset, this, [this] {
        reset(Seat::pan);
        reset(Seat::level);
    });
    for (const int i : {Seat::level, Seat::pan, Seat::width}) addField(i);
    if (size == EditorSize::full && !SeatEditor::row().parent.empty()) {
        sends_ = new SendList(bench_.workspace, row, this);
        numbers()->addWidget(sends_, 1);
    } else {
        numbers()->addStretch(1);
    }
    refresh();
}

void SeatEditor::redraw() {
    if (sends_ != nullptr) sends_->refresh();
    plot_->applyLook();
    const Palette& p = colours();
    for (QCPItemText* name : names_) plot_->removeItem(name);
    names_.clear();
    struct Other {
        QString name;
        double pan, level;
    };
    std::vector<Other> others;
    double lowest = std::max(kLow, value(Seat::level));
    for (const Row& other : bench_.workspace.session().rows) {
        const Stage* seat = seatOf(other);
        if (seat == nullptr || other.id == row_ || other.kind == RowKind::reference ||
            hasSources(other.kind) != hasSources(row().kind))
            continue;
        others.push_back({QString::fromStdString(other.name), seat->values[Seat::pan],
                          std::max(kLow, seat->values[Seat::level])});
        lowest = std::min(lowest, others.back().level);
    }
    const double bottom = std::min(-18.0, lowest - 4.0);
    plot_->yAxis->setRange(bottom, 9.0);
    std::stable_sort(others.begin(), others.end(),
                     [](const Other& a, const Other& b) { return a.level > b.level; });
    QVector<double> x, y;
    // From the loudest down, a name gives way to those above it.
    // A plot that was never laid out does not know its height yet.
    const double apart = (9.0 - bottom) * 14.0 / std::max(420, plot_->axisRect()->height());
    std::vector<std::pair<double, double>> taken;
    for (const Other& other : others) {
        x << other.pan;
        y << other.level;
        if (size_ == EditorSize::compact) continue;
        double at = other.level;
        for (const auto& [pan, level] : taken) {
            if (std::abs(pan - other.pan) < 24.0 && at > level - apart) at = level - apart;
        }
        taken.emplace_back(other.pan, at);
        auto* text = new QCPItemText(plot_);
        text->setText(other.name);
        text->setColor(p.quiet);
        text->setFont(face(11));
        text->setPositionAlignment(Qt::AlignLeft | Qt::AlignVCenter);
        text->position->setCoords(other.pan + 3.0, at);
        names_.push_back(text);
    }
    others_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.quiet), QBrush(p.stave), 7));
    others_->setData(x, y);
    plot_->setHandles(
        {{"seat", told(Seat::pan) + ", " + told(Seat::level), Handle::Kind::point, value(Seat::pan),
          std::max(kLow, value(Seat::level)), p.ember, false, true}});
    plot_->replot(QCustomPlot::rpQueuedReplot);
    const Row* self = findRow(bench_.workspace.session(), row_);
    if (self != nullptr && self->kind == RowKind::reference) {
        say(tr("A reference is kept beside the mix; nothing of it is played in it."));
        return;
    }
    const auto measured = bench_.tracer.of(row_);
    if (!measured) {
        say(tr("Measuring this row …"));
        return;
    }
    const Loudness& l = measured->output;
    if (l.samplePeak < -100.0) {
        say(tr("Silent: muted, or nothing plays here."));
    } else {
        say(tr("Leaves here at %1 LUFS over the song, its loudest sample at %2 dBFS.")
                .arg(figure(l.integrated), change(l.samplePeak)));
    }
}

void SeatEditor::tick() {
    meter_->show(bench_.player.meter(row_));
}

}  // namespace ember::app
