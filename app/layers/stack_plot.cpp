#include "app/layers/stack_plot.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"

#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kLowest = -78.0;  // dB of the spectra

int placeOf(const Row& row, const std::string& layer) {
    for (std::size_t i = 0; i < row.layers.size(); ++i) {
        if (row.layers[i].id == layer) return static_cast<int>(i);
    }
    return 0;
}

}  // namespace

StackPlot::StackPlot(QWidget* parent) : QWidget(parent) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    waves_ = new Plot(this);
    waves_->setObjectName("stack-waves");
    waves_->setAccessibleName(tr("Waves of the layers"));
    waves_->xAxis->setLabel(tr("milliseconds from the stroke"));
    waves_->yAxis->setLabel(tr("share of the peak"));
    waves_->setInteraction(QCP::iRangeZoom, true);
    waves_->setInteraction(QCP::iRangeDrag, true);
    waves_->axisRect()->setRangeZoom(Qt::Horizontal);
    waves_->axisRect()->setRangeDrag(Qt::Horizontal);
    waves_->xAxis->setRange(-3.0, 27.0);
    waves_->yAxis->setRange(-1.1, 1.35);  // room for what a handle says
    waves_->setMinimumHeight(150);
    spectra_ = new Plot(this);
    spectra_->setObjectName("stack-spectra");
    spectra_->setAccessibleName(tr("Spectra of the layers"));
    spectra_->setupFrequencyAxis(kLowest, 6.0);
    spectra_->setMinimumHeight(130);
    box->addWidget(waves_, 3);
    box->addWidget(spectra_, 2);
    connect(waves_, &Plot::handleMoved, this,
            [this](const QString&, double x, double) { emit offsetMoved(x); });
    connect(waves_, &Plot::handleReleased, this, [this] { emit offsetReleased(); });
    connect(waves_, &Plot::handleReset, this, [this] { emit offsetReset(); });
}

void StackPlot::show(const StackPicture& picture, const Row& row, const std::string& chosen) {
    picture_ = picture;
    row_ = row;
    chosen_ = chosen;
    waves_->setKeySteps(1000.0 / picture.sampleRate, 0.0);
    draw();
}

void StackPlot::clear() {
    picture_ = {};
    row_ = {};
    draw();
}

void StackPlot::refreshLook() {
    waves_->applyLook();
    spectra_->applyLook();
    draw();
}

void StackPlot::draw() {
    const Palette& p = colours();
    waves_->clearGraphs();
    spectra_->clearGraphs();
    double peak = 1e-6, loudest = -150.0;
    for (const float x : picture_.sum.samples) peak = std::max(peak, std::abs<double>(x));
    for (const auto& wave : picture_.layers) {
        for (const float x : wave.samples) peak = std::max(peak, std::abs<double>(x));
    }
    for (const double level : picture_.sum.spectrum.level) loudest = std::max(loudest, level);
    const auto add = [&](const StackPicture::Wave& wave, const QColor& colour, double thick) {
        QVector<double> x, y;
        for (std::size_t i = 0; i < wave.samples.size(); ++i) {
            x.push_back(picture_.fromMs + 1000.0 * static_cast<double>(i) / picture_.sampleRate);
            y.push_back(static_cast<double>(wave.samples[i]) / peak);
        }
        QCPGraph* graph = waves_->addGraph();
        graph->setPen(QPen(colour, thick));
        graph->setData(x, y, true);
        QVector<double> f, level;
        for (std::size_t i = 0; i < wave.spectrum.frequency.size(); ++i) {
            f.push_back(wave.spectrum.frequency[i]);
            level.push_back(std::max(kLowest - 20.0, wave.spectrum.level[i] - loudest));
        }
        QCPGraph* curve = spectra_->addGraph();
        curve->setPen(QPen(colour, thick));
        curve->setData(f, level, true);
    };
    if (!picture_.layers.empty()) add(picture_.sum, p.chalk, 1.2);
    for (const auto& wave : picture_.layers)
        add(wave, hoopColour(placeOf(row_, wave.layer)), wave.layer == chosen_ ? 2.2 : 1.4);
    QVector<Handle> handles;
    for (std::size_t i = 0; i < row_.layers.size(); ++i) {
        const Layer& layer = row_.layers[i];
        if (layer.id != chosen_ || !layer.is(Layer::on)) continue;
        Handle handle;
        handle.id = "offset";
        handle.label = tr("%1 starts at %2 ms")
                           .arg(QString::fromStdString(layer.name))
                           .arg(figure(layer.at(Layer::offset), 2));
        handle.kind = Handle::Kind::vertical;
        handle.x = layer.at(Layer::offset);
        handle.colour = hoopColour(static_cast<int>(i));
        handles.push_back(handle);
    }
    waves_->setHandles(handles);
    waves_->replot(QCustomPlot::rpQueuedReplot);
    spectra_->replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace ember::app
