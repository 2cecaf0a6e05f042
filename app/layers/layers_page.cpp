#include "app/layers/layers_page.h"

#include "app/layers/print_dialog.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/quiet_table.h"
#include "core/base/error.h"
#include "core/engine/stack.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"
#include "core/session/layers.h"

#include <QFileDialog>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kCancels = -1.0;  // dB: what is said to take from the hit

// What the layer does where it does most.
QString weightText(const Contribution& c) {
    if (c.strokes == 0) return QObject::tr("not heard");
    if (!c.missed) return QObject::tr("not missed");
    const auto most = std::max_element(c.bandsDb.begin(), c.bandsDb.end(), [](double a, double b) {
        return std::abs(a) < std::abs(b);
    });
    return QObject::tr("%1 dB at %2 Hz")
        .arg(change(*most, 1))
        .arg(frequencyLabel(earBands()[static_cast<std::size_t>(most - c.bandsDb.begin())]));
}

}  // namespace

LayersPage::LayersPage(Workspace& workspace, Player& player, Listener& listener, PadOptions pads,
                       QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener) {
    setObjectName("layers-page");
    setAcceptDrops(true);
    build(std::move(pads));
    connect(&drawing_, &QFutureWatcher<void>::finished, this, &LayersPage::finishPicture);
    connect(&weighing_, &QFutureWatcher<void>::finished, this, &LayersPage::finishWeighing);
    connect(&lining_, &QFutureWatcher<void>::finished, this, &LayersPage::finishLineUp);
    connect(&cutting_, &QFutureWatcher<void>::finished, this, &LayersPage::finishCutting);
    connect(&quietening_, &QFutureWatcher<void>::finished, this, &LayersPage::finishQuietening);
    connect(&workspace_, &Workspace::changed, this, [this] {
        if (isVisible()) refresh();
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        row_.clear();
        picture_.reset();
        weights_.reset();
        stopCutting_ = true;
        if (isVisible()) refresh();
    });
}

LayersPage::~LayersPage() {
    abandon_ = stopCutting_ = true;
    delete library_;
    for (PrintStackDialog* dialog : findChildren<PrintStackDialog*>()) delete dialog;
    cutting_.waitForFinished();
    quietening_.waitForFinished();
    for (Errand<void>* watcher : {&drawing_, &weighing_, &lining_}) watcher->waitForFinished();
}

const Row* LayersPage::shown() const {
    const Row* row = findRow(workspace_.session(), row_);
    return row != nullptr && !row->layers.empty() ? row : nullptr;
}

std::string LayersPage::chosen() const {
    const Row* row = shown();
    const int at = list_->currentRow();
    if (row == nullptr || at < 0 || at >= static_cast<int>(row->layers.size())) return {};
    return row->layers[static_cast<std::size_t>(at)].id;
}

QString LayersPage::nameOf(const std::string& layer) const {
    const Row* row = shown();
    const Layer* found = row != nullptr ? findLayer(*row, layer) : nullptr;
    return found != nullptr ? QString::fromStdString(found->name) : QString();
}

void LayersPage::choose(const std::string& layer) {
    const Row* row = shown();
    for (std::size_t i = 0; row != nullptr && i < row->layers.size(); ++i) {
        if (row->layers[i].id == layer) list_->setCurrentCell(static_cast<int>(i), kName);
    }
}

void LayersPage::open(const std::string& row) {
    if (row != row_) {
        picture_.reset();
        weights_.reset();
        list_->setCurrentCell(-1, -1);
    }
    row_ = row;
    refresh();
}

void LayersPage::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    refresh();
}

void LayersPage::refreshLook() {
    plot_->refreshLook();
    refresh();
}

void LayersPage::fillRows() {
    rows_->clear();
    for (const Row& row : workspace_.session().rows) {
        if (!row.layers.empty())
            rows_->addItem(QString::fromStdString(row.name), QString::fromStdString(row.id));
    }
    if (shown() == nullptr)
        row_ = rows_->count() > 0 ? rows_->itemData(0).toString().toStdString() : std::string();
    rows_->setCurrentIndex(rows_->findData(QString::fromStdString(row_)));
    rows_->setEnabled(rows_->count() > 0);
}

void LayersPage::fillDrums() {
    drums_->clear();
    if (cutting_.isRunning()) {
        drums_->addAction(tr("Stop cutting samples"), this, [this] { stopCutting_ = true; })
            ->setObjectName("own-stop");
        drums_->addSeparator();
    }
    std::vector<std::string> ids;
    for (const KitDrum& drum : drumsOf(workspace_.session())) ids.push_back(drum.id);
    for (const Drum& drum : workspace_.session().drums) {
        if (std::find(ids.begin(), ids.end(), drum.id) == ids.end()) ids.push_back(drum.id);
    }
    for (const std::string& drum : ids) {
        drums_->addAction(QString::fromStdString(drumName(workspace_.session(), drum)), this,
                          [this, id = drum] {
                              const QStringList files = QFileDialog::getOpenFileNames(
                                  this, tr("Sounds under the drum"), {},
                                  tr("Audio (*.wav *.aif *.aiff *.flac *.ogg *.caf)"));
                              if (!files.isEmpty()) support(id, files);
                          });
    }
    drums_->addSeparator();
    for (const KitDrum& drum : drumsOf(workspace_.session())) {
        if (closeMicrophone(workspace_.session(), drum.id) == nullptr) continue;
        QAction* own = drums_->addAction(
            tr("%1, its own strokes …")
                .arg(QString::fromStdString(drumName(workspace_.session(), drum.id))),
            this, [this, id = drum.id] { askOwn(id); });
        own->setObjectName(QString::fromStdString("own-" + drum.id));
        own->setToolTip(
            tr("Cuts its cleanest strokes out of its microphone, without the other drums, soft to "
               "hard, into a folder; the hardest ones are put under it."));
    }
    drums_->setEnabled(!drums_->isEmpty());
}

void LayersPage::fillList() {
    const Row* row = shown();
    const std::string before = chosen();
    filling_ = true;
    list_->setRowCount(row != nullptr ? static_cast<int>(row->layers.size()) : 0);
    if (row != nullptr) {
        const std::vector<Stroke> strokes = playedStrokes(workspace_.session(), row->drum);
        for (int i = 0; i < list_->rowCount(); ++i) {
            const Layer& layer = row->layers[static_cast<std::size_t>(i)];
            const bool on = layer.is(Layer::on);
            const QString name = QString::fromStdString(layer.name);
            putText(list_, i, kName, on ? name : tr("%1 (off)").arg(name),
                    layer.sounds.size() == 1 ? QString::fromStdString(layer.sounds.front().file)
                                             : tr("%1 sounds in turn").arg(layer.sounds.size()),
                    false);
            QPixmap mark(10, 10);
            mark.fill(on ? hoopColour(i) : colours().hoop);
            // The same where it is chosen: the colour is the layer's.
            QIcon icon(mark);
            icon.addPixmap(mark, QIcon::Selected);
            list_->item(i, kName)->setIcon(icon);
            const auto value = [&](Layer::Index index) {
                return QString::fromStdString(formatValue(layerTable()[index], layer.at(index)));
            };
            putText(list_, i, kPart, spoken(value(Layer::part).toStdString()));
            putText(list_, i, kLevel, value(Layer::level));
            putText(list_, i, kOffset, value(Layer::offset));
            putText(list_, i, kStrokes,
                    tr("%1 of %2").arg(struckBy(layer, strokes).size()).arg(strokes.size()),
                    tr("How many of the drum's strokes start it, by its rule."));
            QString mix = nextWeights_ ? tr("listening …") : QStringLiteral("–");
            if (weights_) {
                for (const Contribution& c : *weights_) {
                    if (c.layer == layer.id) mix = on ? weightText(c) : tr("off");
                }
            }
            putText(list_, i, kMix, mix,
                    tr("“What is missed?” mutes it in the mix and says what goes."));
        }
        int at = 0;
        for (std::size_t i = 0; i < row->layers.size(); ++i) {
            if (row->layers[i].id == before) at = static_cast<int>(i);
        }
        list_->setCurrentCell(at, kName);
    }
    filling_ = false;
    fields_->show(row_, chosen());
    fieldsTitle_->setText(nameOf(chosen()));
}

void LayersPage::fillAgreements() {
    agreements_->setRowCount(0);
    QStringList words;
    if (picture_) {
        for (const std::string& problem : picture_->problems)
            words << QString::fromStdString(problem);
        for (const Agreement& a : picture_->agreements) {
            const int at = agreements_->rowCount();
            agreements_->setRowCount(at + 1);
            const QString pair = tr("%1, %2").arg(nameOf(a.first), nameOf(a.second));
            putText(agreements_, at, kPair, pair, pair, false);
            putText(agreements_, at, kLow, tr("%1 dB").arg(change(a.lowDb)));
            putText(agreements_, at, kAttack, tr("%1 dB").arg(change(a.attackDb)));
            putText(agreements_, at, kWhole, tr("%1 dB").arg(change(a.wholeDb)));
            const QString where = a.lowDb <= kCancels      ? tr("low end")
                                  : a.attackDb <= kCancels ? tr("attack")
                                                           : QString();
            if (!where.isEmpty())
                words << tr("%1 and %2 weaken each other's %3: line them up, or turn one over.")
                             .arg(nameOf(a.first), nameOf(a.second), where);
        }
    }
    words_->setText(words.join(QLatin1Char(' ')));
    words_->setVisible(!words.isEmpty());
}

void LayersPage::refresh() {
    fillRows();
    const Row* row = shown();
    states_->setCurrentIndex(row != nullptr ? 1 : 0);
    for (QPushButton* button : {add_, line_, weigh_, quiet_, print_})
        button->setEnabled(row != nullptr);
    quiet_->setText(quietening_.isRunning() ? tr("Listening …") : tr("Just missed"));
    line_->setEnabled(row != nullptr && row->layers.size() > 1 && !nextMoves_);
    weigh_->setEnabled(row != nullptr && !nextWeights_);
    if (row == nullptr) return;
    const Row* before = findRow(pictured_, row_);
    const bool same = before != nullptr && before->layers == row->layers &&
                      pictured_.sampleRate == workspace_.session().sampleRate;
    if (!same) weights_.reset();  // they were of other layers
    fillList();
    if (!same || !picture_) startPicture();
    draw();
}

bool LayersPage::settled() const {
    return !nextPicture_ && !nextWeights_ && !nextMoves_ && !quietening_.isRunning();
}

void LayersPage::startPicture() {
    if (nextPicture_) {
        again_ = true;
        return;
    }
    again_ = false;
    pictured_ = workspace_.session();
    nextPicture_ = std::make_shared<StackPicture>();
    AudioStore* store = &workspace_.store();
    drawing_.setFuture(
        QtConcurrent::run([out = nextPicture_, store, session = pictured_, row = row_] {
            try {
                *out = stackPicture(session, *store, row);
            } catch (const std::exception& error) {
                out->problems.emplace_back(error.what());
            }
        }));
}

void LayersPage::finishPicture() {
    picture_ = std::move(*nextPicture_);
    nextPicture_.reset();
    if (again_) startPicture();
    draw();
}

void LayersPage::draw() {
    const Row* row = shown();
    if (row != nullptr && picture_)
        plot_->show(*picture_, *row, chosen());
    else
        plot_->clear();
    fillAgreements();
}

void LayersPage::weigh() {
    if (shown() == nullptr || nextWeights_) return;
    nextWeights_ = std::make_shared<std::vector<Contribution>>();
    failure_ = std::make_shared<QString>();
    weighedRow_ = row_;
    AudioStore* store = &workspace_.store();
    weighing_.setFuture(QtConcurrent::run([this, out = nextWeights_, failure = failure_, store,
                                           session = workspace_.session(), row = row_] {
        try {
            *out = layerContributions(session, *store, row, [this](double, const std::string&) {
                return !abandon_.load();
            });
        } catch (const std::exception& error) {
            *failure = QString::fromUtf8(error.what());
        }
    }));
    refresh();
}

void LayersPage::finishWeighing() {
    if (!failure_->isEmpty()) emit said(*failure_);
    if (weighedRow_ == row_ && failure_->isEmpty()) weights_ = std::move(*nextWeights_);
    nextWeights_.reset();
    refresh();
}

void LayersPage::quieten(bool alone) {
    const std::string layer = chosen();
    if (layer.empty() || quietening_.isRunning()) return;
    quietRow_ = row_;
    quietLayer_ = layer;
    quietAlone_ = alone;
    AudioStore* store = &workspace_.store();
    quietening_.setFuture(
        QtConcurrent::run([this, store, alone, layer, row = row_, session = workspace_.session()] {
            return outcomeOf(tr("Nothing was changed."), [&] {
                return quietLevel(session, *store, row, layer, alone,
                                  [this](double, const std::string&) { return !abandon_.load(); });
            });
        }));
    refresh();
}

void LayersPage::finishQuietening() {
    const Outcome<QuietLevel> found = quietening_.result();
    refresh();
    if (!found.problem.isEmpty()) return emit said(found.problem);
    const QString where = quietAlone_ ? tr("among its row’s layers") : tr("in the mix");
    const Row* row = findRow(workspace_.session(), quietRow_);
    const Layer* layer = row != nullptr ? findLayer(*row, quietLayer_) : nullptr;
    if (layer == nullptr) return;  // taken away meanwhile
    const QString name = QString::fromStdString(layer->name);
    if (!found.value.reached)
        return emit said(tr("Not even at its loudest would anybody miss %1 %2.").arg(name, where));
    const QString why = tr("just loud enough to be missed %1: %2 dB in the band that gains most")
                            .arg(where, figure(found.value.changeDb));
    workspace_.attempt([&] {
        return withLayerValue(workspace_.session(), quietRow_, quietLayer_, "level",
                              found.value.levelDb);
    });
    emit said(tr("%1 at %2 dB is %3.").arg(name, figure(found.value.levelDb, 2), why));
}

void LayersPage::lineUp() {
    if (shown() == nullptr || nextMoves_) return;
    nextMoves_ = std::make_shared<std::vector<LayerMove>>();
    failure_ = std::make_shared<QString>();
    AudioStore* store = &workspace_.store();
    lining_.setFuture(QtConcurrent::run(
        [out = nextMoves_, failure = failure_, store, session = workspace_.session(), row = row_] {
            try {
                *out = layerMoves(session, *store, row);
            } catch (const std::exception& error) {
                *failure = QString::fromUtf8(error.what());
            }
        }));
    line_->setEnabled(false);
}

void LayersPage::finishLineUp() {
    const std::vector<LayerMove> moves = std::move(*nextMoves_);
    nextMoves_.reset();
    refresh();
    if (!failure_->isEmpty()) return emit said(*failure_);
    QStringList moved, strange;
    for (const LayerMove& move : moves) (move.related ? moved : strange) << nameOf(move.layer);
    if (!moved.isEmpty())
        workspace_.attempt([&] { return withLayerMoves(workspace_.session(), row_, moves); });
    QString text = moved.isEmpty() ? tr("Nothing was moved.")
                                   : tr("Lined up: %1.").arg(moved.join(QStringLiteral(", ")));
    if (!strange.isEmpty())
        text += QLatin1Char(' ') + tr("Nothing in common with the leading layer: %1.")
                                       .arg(strange.join(QStringLiteral(", ")));
    emit said(text);
}

}  // namespace ember::app
