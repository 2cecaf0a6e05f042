#include "app/kit/kit_page.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/dsp/seat.h"

#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {
namespace {

QLabel* quiet(const QString& text, QWidget* parent) {
    auto* label = new QLabel(text, parent);
    label->setProperty("quiet", true);
    label->setWordWrap(true);
    return label;
}

}  // namespace

KitPage::KitPage(Workspace& workspace, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), listener_(listener) {
    setObjectName("kit-page");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(14, 8, 14, 8);
    box->setSpacing(6);
    box->addWidget(titleLabel(tr("Where the drums stand"), this));
    state_ = quiet({}, this);
    box->addWidget(state_);
    image_ = new Plot(this);
    image_->setObjectName("kit-image");
    image_->setAccessibleName(tr("Where the drums stand between left and right"));
    image_->setToolTip(
        tr("Dots: where the pair that hears the whole kit hears each drum, with how far that "
           "varies from stroke to stroke. Rings: where its own microphone is panned now."));
    image_->setupPanAxis();
    places_ = image_->addGraph();
    seats_ = image_->addGraph();
    for (QCPGraph* graph : {places_, seats_}) graph->setLineStyle(QCPGraph::lsNone);
    box->addWidget(image_, 1);
    width_ = quiet({}, this);
    width_->setObjectName("kit-width");
    box->addWidget(width_);
    const auto again = [this] {
        if (isVisible()) refresh();
    };
    connect(&listener_, &Listener::changed, this, again);
    connect(&workspace_, &Workspace::changed, this, again);
    connect(&workspace_, &Workspace::opened, this, again);
}

void KitPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    refresh();
}

void KitPage::refresh() {
    const auto measured = listener_.measured();
    if (measured == nullptr || workspace_.empty()) {
        state_->setText(
            tr("The kit is still being listened to; where its drums stand appears here."));
        places_->data()->clear();
        seats_->data()->clear();
        image_->replot(QCustomPlot::rpQueuedReplot);
        width_->clear();
        return;
    }
    state_->setText(tr(
        "Dots: where the pair that hears the whole kit hears each drum, with how far that varies "
        "from stroke to stroke. Rings: where its own microphone is panned now. How loud every "
        "drum is in every microphone stands on Flow, Bleed (Ctrl+Shift+F)."));
    drawImage(*measured);
}

void KitPage::drawImage(const KitMeasurement& m) {
    image_->applyLook();
    const Palette& p = colours();
    const Session& session = workspace_.session();
    for (QCPItemLine* line : spreads_) image_->removeItem(line);
    spreads_.clear();
    QVector<double> x, y, seatX, seatY;
    const QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
    QStringList told;
    std::vector<DrumImage> drums = m.image;
    std::stable_sort(drums.begin(), drums.end(),
                     [](const DrumImage& a, const DrumImage& b) { return a.pan < b.pan; });
    for (std::size_t i = 0; i < drums.size(); ++i) {
        const DrumImage& d = drums[i];
        // The leftmost on top.
        const double at = static_cast<double>(drums.size() - i);
        const QString name = QString::fromStdString(drumName(session, d.drum));
        names->addTick(at, name);
        x << 100.0 * d.pan;
        y << at;
        told << tr("%1 at %2").arg(name, figure(100.0 * d.pan, 0));
        auto* line = new QCPItemLine(image_);
        line->start->setCoords(100.0 * std::max(-1.0, d.pan - d.spread), at);
        line->end->setCoords(100.0 * std::min(1.0, d.pan + d.spread), at);
        line->setPen(QPen(p.wave, 3.0));
        spreads_.push_back(line);
        for (const Row& row : session.rows) {
            if (row.drum != d.drum || channelCount(row) != 1 || row.chain.empty() ||
                row.chain.back().type != "seat")
                continue;
            seatX << row.chain.back().values[Seat::pan];
            seatY << at;
            break;
        }
    }
    image_->yAxis->setTicker(names);
    image_->yAxis->setRange(0.3, static_cast<double>(drums.size()) + 0.7);
    places_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssDisc, QPen(p.ember), QBrush(p.ember), 9));
    seats_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssCircle, QPen(p.chalk, 1.4), Qt::NoBrush, 14));
    places_->setData(x, y);
    seats_->setData(seatX, seatY);
    image_->setAccessibleDescription(told.join(", "));
    image_->replot(QCustomPlot::rpQueuedReplot);
    const std::string pair = drums.empty() ? std::string() : drums.front().pair;
    QString text =
        drums.empty() ? tr("No pair hears the whole kit: there is no image to read.") : "";
    for (const SignalLevels& l : m.levels) {
        if (l.row != pair || l.width.empty()) continue;
        const auto widest = std::max_element(
            l.width.begin(), l.width.end(),
            [](const BandWidth& a, const BandWidth& b) { return a.sideToMidDb < b.sideToMidDb; });
        text =
            tr("As %1 hears it: correlation %2; mono costs %3 dB; widest around %4 Hz, where the "
               "sides stand %5 dB against the middle.")
                .arg(QString::fromStdString(findRow(session, pair)->name), figure(l.correlation, 2),
                     figure(l.monoLossDb))
                .arg(figure(widest->hertz, 0))
                .arg(change(widest->sideToMidDb));
    }
    width_->setText(text);
}

}  // namespace ember::app
