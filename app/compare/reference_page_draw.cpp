// What the page of a record shows.

#include "app/compare/reference_page.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/offers.h"
#include "app/widgets/quiet_table.h"

#include <QHBoxLayout>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr std::size_t kBareShown = 3;

// Side against middle of an octave, dB; nothing where there are no sides.
std::optional<double> widthAt(const SongFigures& figures, double hertz) {
    for (const BandWidth& band : figures.levels.width) {
        if (std::abs(std::log2(band.hertz / hertz)) < 0.5) return band.sideToMidDb;
    }
    return std::nullopt;
}

}  // namespace

void ReferencePage::draw() {
    const bool there = !chosen().empty();
    stop_->setVisible(running_.isRunning());
    midi_->setEnabled(known_.has_value() && !known_->reading.strokes.empty());
    draft_->setEnabled(midi_->isEnabled());
    for (QPushButton* like : likes_) like->setEnabled(midi_->isEnabled());
    askMoving_->setEnabled(known_.has_value() && !looking_.isRunning());
    if (!there) state_->clear();
    QStringList said;
    if (!there)
        said << tr(
            "There is no record in this session. Add a finished song: it is heard in place "
            "of the mix at the same loudness, and measured beside it.");
    if (known_) {
        const Session& session = workspace_.session();
        for (const auto& list : {referenceText(session, known_->reading),
                                 referenceCheckText(known_->reading, known_->check)}) {
            for (const std::string& text : list) said << QString::fromStdString(text);
        }
    }
    words_->setText(said.join(QStringLiteral("\n\n")));
    fillFigures();
    fillBare();
    fillParts();
    fillMoves();
    drawSpectra();
}

void ReferencePage::drawSpectra() {
    plot_->applyLook();
    plot_->clearGraphs();
    if (known_) {
        const Palette& p = colours();
        const SongFigures& record = heldAgainst(known_->reading, known_->check);
        const Spectrum &whole = record.levels.spectrum, &mix = known_->check.mix.levels.spectrum;
        const double top = *std::max_element(whole.level.begin(), whole.level.end());
        const auto add = [&](const Spectrum& of, double by, const QPen& pen) {
            QVector<double> x, y;
            for (std::size_t i = 0; i < of.frequency.size(); ++i) {
                x.push_back(of.frequency[i]);
                y.push_back(std::max(kLowestDb - 20.0, of.level[i] + by - top));
            }
            QCPGraph* graph = plot_->addGraph();
            graph->setPen(pen);
            graph->setData(x, y, true);
            return graph;
        };
        QCPGraph* low = add(record.low, 0.0, Qt::NoPen);
        QCPGraph* high = add(record.high, 0.0, Qt::NoPen);
        high->setBrush(faded(p.slate, 60));
        high->setChannelFillGraph(low);
        add(whole, 0.0, QPen(p.slate, 2.0));
        add(mix, known_->check.louderDb, QPen(p.ember, 2.0));
        const auto bands = outsideBands(record, known_->check.mix);
        plot_->setAccessibleDescription(
            bands.empty() ? tr("The mix lies within what the record does.")
                          : tr("Furthest outside: %1 dB at %2.")
                                .arg(change(bands.front().db),
                                     QString::fromStdString(hertzText(bands.front().hertz))));
    }
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void ReferencePage::fillFigures() {
    figures_->setRowCount(0);
    if (!known_) return;
    const SongFigures &mix = known_->check.mix,
                      &record = heldAgainst(known_->reading, known_->check);
    const auto add = [this](const QString& what, const QString& tip, std::optional<double> a,
                            std::optional<double> b, const QString& unit,
                            const QString& apartUnit) {
        const int line = figures_->rowCount();
        figures_->insertRow(line);
        const auto text = [&](std::optional<double> value, bool apart) {
            if (!value) return QStringLiteral("–");
            return apart ? change(*value) + apartUnit : figure(*value) + unit;
        };
        putText(figures_, line, 0, what, tip, false);
        putText(figures_, line, 1, text(a, false));
        putText(figures_, line, 2, text(b, false));
        putText(figures_, line, 3, a && b ? text(*a - *b, true) : QStringLiteral("–"));
    };
    add(tr("Loudness"), tr("Of this stretch of the mix, and of the record."), mix.levels.integrated,
        record.levels.integrated, tr(" LUFS"), tr(" LU"));
    const auto range = [](const SongFigures& f) {
        return f.rangeLu > 0.0 ? std::optional(f.rangeLu) : std::nullopt;
    };
    add(tr("Range of loudness"), tr("Between its quiet and its loud parts, by EBU Tech 3342."),
        range(mix), range(record), tr(" LU"), tr(" LU"));
    add(tr("Peaks over loudness"), tr("True peak less loudness: what is left of the strokes."),
        mix.peakOverLoudness(), record.peakOverLoudness(), tr(" dB"), tr(" dB"));
    add(tr("Lost in mono"), tr("What one loudspeaker gives less than two."), mix.levels.monoLossDb,
        record.levels.monoLossDb, tr(" dB"), tr(" dB"));
    for (const double hertz : {125.0, 1000.0, 8000.0})
        add(tr("Sides around %1").arg(QString::fromStdString(hertzText(hertz))),
            tr("What lies at the sides against the middle, in this octave."), widthAt(mix, hertz),
            widthAt(record, hertz), tr(" dB"), tr(" dB"));
    for (const auto& [drum, name] :
         {std::pair{"snare", tr("Snare")}, std::pair{"hihat", tr("Hat")}})
        add(tr("%1 against the kick").arg(name),
            tr("What its strokes add in the bands it is known by, against what the kick’s do; of "
               "the record over all of it."),
            overKick(mix, drum), overKick(known_->reading.whole, drum), tr(" dB"), tr(" dB"));
}

void ReferencePage::fillBare() {
    for (QWidget* shown : shownBare_) shown->deleteLater();
    shownBare_.clear();
    const bool some = known_ && !known_->reading.bare.empty();
    noBare_->setVisible(!some);
    noBare_->setText(known_ ? tr("Nowhere for a whole bar.") : tr("Known once it is read."));
    if (!some) return;
    const auto& bare = known_->reading.bare;
    for (std::size_t i = 0; i < std::min(kBareShown, bare.size()); ++i) {
        const BareBars& bars = bare[i];
        auto* one = new QWidget(this);
        auto* line = new QHBoxLayout(one);
        line->setContentsMargins(0, 0, 0, 0);
        const QString count = bars.bars == 1 ? tr("1 bar") : tr("%1 bars").arg(bars.bars);
        auto* text = new QLabel(tr("%1 from %2 s, %3 % sure")
                                    .arg(count, figure(bars.from - known_->reading.begins),
                                         figure(100.0 * bars.sure, 0)),
                                one);
        line->addWidget(text, 1);
        auto* button = namedButton(tr("Loop them here"), "", {}, one);
        button->setObjectName(QStringLiteral("reference-bare-%1").arg(i));
        button->setAccessibleName(tr("Loop them here: %1").arg(text->text()));
        button->setToolTip(
            tr("Moves the record so that they begin at the bar where the loop or the "
               "playhead is, and loops as many bars: both are heard in turn there."));
        connect(button, &QPushButton::clicked, this, [this, bars] {
            loopHere(bars.from, bars.bars, "its bare bars stand where the loop is");
        });
        line->addWidget(button);
        bare_->addWidget(one);
        shownBare_.push_back(one);
    }
}

void ReferencePage::fillParts() {
    for (QWidget* shown : shownParts_) shown->deleteLater();
    shownParts_.clear();
    const bool some = known_ && !known_->reading.sections.empty();
    noParts_->setVisible(!some);
    noParts_->setText(known_ ? tr("Not known without its tempo.") : tr("Known once it is read."));
    if (!some) return;
    const std::vector<std::string> words = sectionsText(known_->reading);
    std::size_t next = 0;
    std::vector<std::string> told;
    for (const SongSection& section : known_->reading.sections) {
        if (std::find(told.begin(), told.end(), section.name) != told.end()) continue;
        told.push_back(section.name);
        QWidget* one = offer(
            QString::fromStdString(words[next]), QStringLiteral("reference-part-%1").arg(next),
            this,
            [this, section] {
                loopHere(section.from, section.bars,
                         "part " + section.name + " stands where the loop is");
            },
            tr("Loop it here"));
        parts_->addWidget(one);
        shownParts_.push_back(one);
        ++next;
    }
}

void ReferencePage::fillMoves() {
    for (QWidget* shown : shownMoves_) shown->deleteLater();
    shownMoves_.clear();
    const bool some = known_ && !known_->check.moves.empty();
    nothing_->setVisible(!some);
    nothing_->setText(known_ ? tr("Nothing: no fader and no broad bell would bring it nearer.")
                             : tr("Known once both are heard."));
    if (!some) return;
    for (std::size_t i = 0; i < known_->check.moves.size(); ++i) {
        const ReferenceMove& move = known_->check.moves[i];
        QWidget* one =
            offer(QString::fromStdString(referenceMoveText(workspace_.session(), move)),
                  QStringLiteral("reference-move-%1").arg(i), this, [this, move] { make(move); });
        moves_->addWidget(one);
        shownMoves_.push_back(one);
    }
}

}  // namespace ember::app
