#include "app/compare/compare_figures.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/quiet_table.h"
#include "app/widgets/wrapped_items.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {
namespace {

constexpr double kLowest = -60.0;  // dB of the spectra, under the loudest third octave
constexpr double kUnheard = -60.0;

bool sounds(const std::optional<RowFigures>& figures) {
    return figures && figures->levels.integrated > kSilenceDb + 1.0;
}

}  // namespace

CompareFigures::CompareFigures(QWidget* parent) : QWidget(parent) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    text_ = quietLabel(this, "compare-text");
    box->addWidget(text_);
    auto* across = new QHBoxLayout;
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(4);
    plotted_ = quietLabel(this, "compare-plotted");
    left->addWidget(plotted_);
    plot_ = new Plot(this);
    plot_->setObjectName("compare-spectra");
    plot_->setAccessibleName(tr("Third octaves of both"));
    plot_->setupFrequencyAxis(kLowest, 3.0);
    plot_->setMinimumHeight(150);
    a_ = plot_->addGraph();
    b_ = plot_->addGraph();
    left->addWidget(plot_, 1);
    across->addLayout(left, 3);
    auto* right = new QVBoxLayout;
    right->setSpacing(4);
    auto* words = quietLabel(this, "compare-settings-head");
    words->setText(tr("What makes B out of A"));
    right->addWidget(words);
    settings_ = new QListWidget(this);
    settings_->setObjectName("compare-settings");
    settings_->setAccessibleName(words->text());
    wrapItems(settings_);
    right->addWidget(settings_, 1);
    across->addLayout(right, 2);
    box->addLayout(across, 3);
    table_ = quietTable(
        {tr("Row"), tr("LUFS A"), tr("LUFS B"), tr("change"), tr("attack A"), tr("attack B"),
         tr("change"), tr("crest"), tr("corr. A"), tr("corr. B"), tr("mono")},
        this);
    table_->setObjectName("compare-rows");
    table_->setAccessibleName(tr("Every row in both"));
    const QStringList tips{
        {},
        tr("Loudness of the first, where it leaves the row."),
        tr("Loudness of the second."),
        tr("By how much the second is louder."),
        tr("First 30 ms of the usual stroke against the rest of 300 ms, dB, in the first."),
        tr("The same in the second."),
        tr("By how much the attack grew; negative: punch was lost."),
        tr("By how much the strokes' peaks over their body grew, dB."),
        tr("Left against right in the first: 1 is mono, under 0 mono costs."),
        tr("The same in the second."),
        tr("By how much more of the second is lost in mono, dB; negative: less.")};
    for (int c = 0; c < tips.size(); ++c) table_->horizontalHeaderItem(c)->setToolTip(tips[c]);
    connect(table_, &QTableWidget::currentCellChanged, this, &CompareFigures::drawSpectra);
    box->addWidget(table_, 4);
    refreshLook();
}

void CompareFigures::refreshLook() {
    plot_->applyLook();
    const Palette& p = colours();
    a_->setPen(QPen(p.slate, 2.0));
    b_->setPen(QPen(p.ember, 2.0));
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void CompareFigures::clear(const QString& why) {
    shown_ = {};
    text_->setText(why);
    table_->setRowCount(0);
    settings_->clear();
    drawSpectra();
}

void CompareFigures::show(const MixComparison& comparison) {
    const QString before =
        table_->currentRow() >= 0 && table_->currentRow() < std::ssize(shown_.rows)
            ? QString::fromStdString(
                  shown_.rows[static_cast<std::size_t>(table_->currentRow())].row)
            : QString();
    shown_ = comparison;
    const QString span = tr("%1 s to %2 s").arg(figure(comparison.from), figure(comparison.to));
    text_->setText(
        comparison.differenceDb <= kUnheard
            ? tr("%1. At the same loudness the difference is at %2 dB: nobody hears that.")
                  .arg(span, figure(comparison.differenceDb, 0))
            : tr("%1. B is as loud as A at %2 dB; the difference is then at %3 dB.")
                  .arg(span, change(comparison.gainDb), figure(comparison.differenceDb, 0)));
    settings_->clear();
    for (const std::string& sentence : comparison.settings)
        settings_->addItem(QString::fromStdString(sentence));
    if (comparison.settings.empty()) settings_->addItem(tr("Nothing; they are set alike."));
    table_->setRowCount(static_cast<int>(comparison.rows.size()));
    int chosen = static_cast<int>(comparison.rows.size()) - 1;  // the main
    for (int r = 0; r < table_->rowCount(); ++r) {
        const ComparedRow& row = comparison.rows[static_cast<std::size_t>(r)];
        if (QString::fromStdString(row.row) == before) chosen = r;
        putText(table_, r, 0, QString::fromStdString(row.name), {}, false);
        const auto put = [&](int column, bool known, const QString& text) {
            putText(table_, r, column, known ? text : QStringLiteral("–"));
        };
        const bool a = sounds(row.a), b = sounds(row.b), both = a && b;
        const bool strokes = both && row.a->punch != Punch{} && row.b->punch != Punch{};
        put(1, a, a ? figure(row.a->levels.integrated) : QString());
        put(2, b, b ? figure(row.b->levels.integrated) : QString());
        put(3, both,
            both ? change(row.b->levels.integrated - row.a->levels.integrated) : QString());
        put(4, strokes, strokes ? figure(row.a->punch.transientToBodyDb) : QString());
        put(5, strokes, strokes ? figure(row.b->punch.transientToBodyDb) : QString());
        put(6, strokes,
            strokes ? change(row.b->punch.transientToBodyDb - row.a->punch.transientToBodyDb)
                    : QString());
        put(7, strokes, strokes ? change(row.b->punch.crestDb - row.a->punch.crestDb) : QString());
        put(8, a, a ? figure(row.a->levels.correlation, 2) : QString());
        put(9, b, b ? figure(row.b->levels.correlation, 2) : QString());
        put(10, both,
            both ? change(row.b->levels.monoLossDb - row.a->levels.monoLossDb) : QString());
    }
    table_->setCurrentCell(chosen, 0);
    drawSpectra();
}

void CompareFigures::drawSpectra() {
    const int at = table_->currentRow();
    const ComparedRow* row = at >= 0 && at < std::ssize(shown_.rows)
                                 ? &shown_.rows[static_cast<std::size_t>(at)]
                                 : nullptr;
    double loudest = -150.0;
    if (row != nullptr) {
        for (const auto* figures : {&row->a, &row->b}) {
            if (!sounds(*figures)) continue;
            for (const double level : (*figures)->levels.spectrum.level)
                loudest = std::max(loudest, level);
        }
    }
    const auto draw = [&](QCPGraph* graph, const std::optional<RowFigures>* figures, double by) {
        QVector<double> x, y;
        if (figures != nullptr && sounds(*figures)) {
            const Spectrum& s = (*figures)->levels.spectrum;
            for (std::size_t i = 0; i < s.frequency.size(); ++i) {
                x.push_back(s.frequency[i]);
                y.push_back(std::max(kLowest - 20.0, s.level[i] + by - loudest));
            }
        }
        graph->setData(x, y, true);
    };
    const double by = row != nullptr && sounds(row->a) && sounds(row->b)
                          ? row->a->levels.integrated - row->b->levels.integrated
                          : 0.0;
    draw(a_, row != nullptr ? &row->a : nullptr, 0.0);
    draw(b_, row != nullptr ? &row->b : nullptr, by);
    plotted_->setText(row == nullptr
                          ? tr("Third octaves of both")
                          : tr("Third octaves of %1: A slate, B ember, B drawn as loud as A")
                                .arg(QString::fromStdString(row->name)));
    plot_->setAccessibleDescription(plotted_->text());
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
