#include "app/layers/layers_page.h"

#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/quiet_table.h"
#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/engine/stack.h"
#include "core/measure/kit/kit_mics.h"
#include "core/measure/strokes/played.h"
#include "core/session/layers.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMimeData>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

enum ListColumn { kName, kPart, kLevel, kOffset, kStrokes, kMix };
enum AgreementColumn { kPair, kLow, kAttack, kWhole };
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

LayersPage::LayersPage(Workspace& workspace, Player& player, Listener& listener, QWidget* parent)
    : QWidget(parent), workspace_(workspace), player_(player), listener_(listener) {
    setObjectName("layers-page");
    setAcceptDrops(true);
    build();
    connect(&drawing_, &QFutureWatcher<void>::finished, this, &LayersPage::finishPicture);
    connect(&weighing_, &QFutureWatcher<void>::finished, this, &LayersPage::finishWeighing);
    connect(&lining_, &QFutureWatcher<void>::finished, this, &LayersPage::finishLineUp);
    connect(&workspace_, &Workspace::changed, this, [this] {
        if (isVisible()) refresh();
    });
    connect(&workspace_, &Workspace::opened, this, [this] {
        row_.clear();
        picture_.reset();
        weights_.reset();
        if (isVisible()) refresh();
    });
}

LayersPage::~LayersPage() {
    abandon_ = true;
    delete library_;
    for (QFutureWatcher<void>* watcher : {&drawing_, &weighing_, &lining_})
        watcher->waitForFinished();
}

QWidget* LayersPage::buildHead() {
    auto* head = new QWidget(this);
    auto* across = new QHBoxLayout(head);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(8);
    auto* title = new QLabel(tr("Layers of"), head);
    title->setProperty("title", true);
    across->addWidget(title);
    rows_ = new QComboBox(head);
    rows_->setObjectName("layers-row");
    rows_->setAccessibleName(tr("Row whose layers are shown"));
    rows_->setMinimumWidth(180);
    connect(rows_, &QComboBox::activated, this,
            [this](int index) { open(rows_->itemData(index).toString().toStdString()); });
    across->addWidget(rows_);
    across->addStretch(1);
    const auto button = [&](const char* name, const QString& text, const QString& tip) {
        auto* made = new QPushButton(text, head);
        made->setObjectName(name);
        made->setToolTip(tip);
        across->addWidget(made);
        return made;
    };
    add_ = button("layer-add", tr("Add sounds …"),
                  tr("A layer for each file that is chosen or dropped here."));
    connect(add_, &QPushButton::clicked, this, &LayersPage::askSounds);
    auto* shelf = button("layer-library", tr("Library"),
                         tr("Sounds in your folders: searched by words, by drum and by likeness, "
                            "heard, and taken into the stack."));
    connect(shelf, &QPushButton::clicked, this, [this] {
        try {
            library().show();
            library().raise();
        } catch (const Error& error) {
            emit said(QString::fromUtf8(error.what()));
        }
    });
    line_ = button("layer-line-up", tr("Line up"),
                   tr("Moves and turns every layer so that it adds to the leading one: the loudest "
                      "that gives body. What shares nothing with it stays where it is."));
    connect(line_, &QPushButton::clicked, this, &LayersPage::lineUp);
    weigh_ = button("layer-weigh", tr("What is missed?"),
                    tr("Mutes each layer in turn in the whole mix, at the same loudness, and says "
                       "what the first 50 ms of its strokes lose."));
    connect(weigh_, &QPushButton::clicked, this, &LayersPage::weigh);
    auto* support =
        button("layer-support", tr("Under a drum"),
               tr("Sounds that the strokes of a drum start, in a row of their own: they "
                  "support what was recorded, and never touch it."));
    drums_ = new QMenu(support);
    connect(drums_, &QMenu::aboutToShow, this, &LayersPage::fillDrums);
    support->setMenu(drums_);
    return head;
}

QWidget* LayersPage::buildPanel() {
    auto* panel = new QWidget(this);
    panel->setFixedWidth(292);
    auto* box = new QVBoxLayout(panel);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    fieldsTitle_ = new QLabel(panel);
    fieldsTitle_->setProperty("title", true);
    fieldsTitle_->setTextFormat(Qt::PlainText);
    box->addWidget(fieldsTitle_);
    fields_ = new LayerFields(workspace_, panel);
    box->addWidget(fields_, 1);
    return panel;
}

void LayersPage::build() {
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(14, 8, 14, 8);
    outer->setSpacing(8);
    outer->addWidget(buildHead());
    states_ = new QStackedWidget(this);
    auto* nothing = new QLabel(
        tr("No row has layers yet. Put sounds under a drum: its strokes start them, softer where "
           "it "
           "was struck softly, and ghost notes are left alone. Or make a programmed kit of a "
           "folder of one-shots (Session menu)."),
        states_);
    nothing->setWordWrap(true);
    nothing->setAlignment(Qt::AlignCenter);
    nothing->setProperty("quiet", true);
    nothing->setMargin(80);
    states_->addWidget(nothing);
    auto* stack = new QWidget(states_);
    auto* across = new QHBoxLayout(stack);
    across->setContentsMargins(0, 0, 0, 0);
    across->setSpacing(14);
    auto* left = new QVBoxLayout;
    left->setSpacing(6);
    plot_ = new StackPlot(stack);
    left->addWidget(plot_, 1);
    list_ = quietTable(
        {tr("Layer"), tr("Part"), tr("Level"), tr("Starts"), tr("Strokes"), tr("In the mix")},
        stack);
    list_->setObjectName("layer-list");
    list_->setAccessibleName(tr("Layers of the row"));
    list_->installEventFilter(this);
    list_->setFixedHeight(150);
    connect(list_, &QTableWidget::currentCellChanged, this, [this](int row, int, int before, int) {
        if (filling_ || row == before) return;
        fields_->show(row_, chosen());
        fieldsTitle_->setText(nameOf(chosen()));
        draw();
    });
    connect(list_, &QTableWidget::cellDoubleClicked, this, [this](int, int column) {
        if (column == kName) askName();
        if (column == kMix) toggle(Layer::on);
    });
    auto* below = new QHBoxLayout;
    below->setSpacing(12);
    below->addWidget(list_, 3);
    agreements_ = quietTable({tr("Together"), tr("Lows"), tr("Attack"), tr("Whole")}, stack);
    agreements_->setObjectName("layer-agreements");
    agreements_->setAccessibleName(tr("How each two layers add up"));
    agreements_->setFixedHeight(150);
    agreements_->setToolTip(tr(
        "Level of the sum against the sum of both powers: +3 dB, they agree wholly; 0, they have "
        "nothing to do with each other; below, one takes from the other."));
    below->addWidget(agreements_, 2);
    left->addLayout(below);
    words_ = new QLabel(stack);
    words_->setObjectName("layers-words");
    words_->setProperty("quiet", true);
    words_->setWordWrap(true);
    left->addWidget(words_);
    across->addLayout(left, 1);
    across->addWidget(buildPanel());
    states_->addWidget(stack);
    outer->addWidget(states_, 1);
    connect(plot_, &StackPlot::offsetMoved, this, [this](double ms) {
        const Parameter& p = layerTable()[Layer::offset];
        const double to = std::clamp(ms, p.minimum, p.maximum);
        const std::string layer = chosen();
        workspace_.attempt(
            [&] { return withLayerValue(workspace_.session(), row_, layer, p.id, to); },
            row_ + "/" + layer + "/offset");
    });
    connect(plot_, &StackPlot::offsetReleased, this, [this] { workspace_.endGesture(); });
    connect(plot_, &StackPlot::offsetReset, this, [this] {
        workspace_.attempt(
            [&] { return withLayerValue(workspace_.session(), row_, chosen(), "offset", 0.0); });
    });
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
    drums_->setEnabled(!drums_->isEmpty());
}

void LayersPage::fillList() {
    const Row* row = shown();
    const std::string before = chosen();
    filling_ = true;
    list_->setRowCount(row != nullptr ? static_cast<int>(row->layers.size()) : 0);
    if (row != nullptr) {
        std::vector<Stroke> strokes = playedStrokes(workspace_.session());
        std::erase_if(strokes, [&](const Stroke& s) { return s.drum != row->drum; });
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
    for (QPushButton* button : {add_, line_, weigh_}) button->setEnabled(row != nullptr);
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
    return !nextPicture_ && !nextWeights_ && !nextMoves_;
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

std::vector<Source> LayersPage::soundsOf(const QStringList& files) {
    std::vector<Source> out;
    for (const QString& file : files) {
        const std::filesystem::path path = file.toStdString();
        const AudioReader reader(path);  // refuses what is no audio, with its sentence
        out.push_back({path.string(), workspace_.store().contentHash(path)});
    }
    return out;
}

void LayersPage::addSounds(const QStringList& files) {
    if (shown() == nullptr || files.isEmpty()) return;
    workspace_.attempt([&] {
        Session session = workspace_.session();
        for (const Source& sound : soundsOf(files))
            session = withLayerAdded(std::move(session), row_, {sound});
        return session;
    });
}

void LayersPage::replaceSound(const QString& file) {
    const std::string layer = chosen();
    if (layer.empty()) return;
    workspace_.attempt(
        [&] { return withLayerSounds(workspace_.session(), row_, layer, soundsOf({file})); });
}

LibraryDialog& LayersPage::library(const std::filesystem::path& index) {
    if (library_ != nullptr) return *library_;
    library_ =
        new LibraryDialog(workspace_, player_, index.empty() ? defaultLibraryIndex() : index, this);
    connect(library_, &LibraryDialog::taken, this, [this](const QString& file, bool instead) {
        if (shown() == nullptr)
            emit said(tr("Choose a row with layers first, or put sounds under a drum."));
        else
            instead ? replaceSound(file) : addSounds({file});
    });
    connect(library_, &LibraryDialog::likeAsked, this, [this] {
        const Row* row = shown();
        const Layer* layer = row != nullptr ? findLayer(*row, chosen()) : nullptr;
        if (layer != nullptr)
            library_->showSimilar(layer->sounds.front().file, QString::fromStdString(layer->name));
    });
    return *library_;
}

void LayersPage::support(const std::string& drum, const QStringList& files) {
    std::string made;
    workspace_.attempt([&] {
        NewRow next = withLayerRow(workspace_.session(), drum, soundsOf(files));
        // What was heard is what starts them: one step back for both.
        if (const auto measured = listener_.measured();
            measured && next.session.strokes.get().empty())
            next.session.strokes = Shared(measured->strokes.strokes);
        made = next.row;
        return std::move(next.session);
    });
    if (!made.empty()) open(made);
}

void LayersPage::askSounds() {
    addSounds(QFileDialog::getOpenFileNames(this, tr("Sounds as layers"), {},
                                            tr("Audio (*.wav *.aif *.aiff *.flac *.ogg *.caf)")));
}

void LayersPage::askName() {
    const std::string layer = chosen();
    if (layer.empty()) return;
    bool good = false;
    const QString name =
        QInputDialog::getText(this, tr("Name of a layer"), tr("What people call it:"),
                              QLineEdit::Normal, nameOf(layer), &good);
    if (!good) return;
    workspace_.attempt(
        [&] { return withLayerName(workspace_.session(), row_, layer, name.toStdString()); });
}

void LayersPage::toggle(Layer::Index index) {
    const Row* row = shown();
    const Layer* layer = row != nullptr ? findLayer(*row, chosen()) : nullptr;
    if (layer == nullptr) return;
    workspace_.attempt([&, id = layer->id, value = layer->is(index) ? 0.0 : 1.0] {
        return withLayerValue(workspace_.session(), row_, id,
                              layerTable()[static_cast<std::size_t>(index)].id, value);
    });
}

bool LayersPage::eventFilter(QObject* object, QEvent* event) {
    if (object != list_) return QWidget::eventFilter(object, event);
    // In the list these letters are the list's own, and not the window's.
    if (event->type() == QEvent::ShortcutOverride) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_D || key == Qt::Key_O || key == Qt::Key_P) event->accept();
        return false;
    }
    if (event->type() != QEvent::KeyPress) return QWidget::eventFilter(object, event);
    const std::string layer = chosen();
    const auto edit = [&](Session (*how)(Session, std::string_view, std::string_view)) {
        if (!layer.empty())
            workspace_.attempt([&] { return how(workspace_.session(), row_, layer); });
    };
    switch (static_cast<QKeyEvent*>(event)->key()) {
        case Qt::Key_Insert:
            askSounds();
            return true;
        case Qt::Key_Delete:
            edit(withLayerRemoved);
            return true;
        case Qt::Key_D:
            edit(withLayerCopied);
            return true;
        case Qt::Key_O:
            toggle(Layer::on);
            return true;
        case Qt::Key_P:
            toggle(Layer::polarity);
            return true;
        case Qt::Key_F2:
            askName();
            return true;
        default:
            return false;
    }
}

void LayersPage::dragEnterEvent(QDragEnterEvent* event) {
    // Without a stack to add to, the window decides what a file is.
    if (shown() != nullptr && event->mimeData()->hasUrls()) event->acceptProposedAction();
}

void LayersPage::dropEvent(QDropEvent* event) {
    QStringList files;
    for (const QUrl& url : event->mimeData()->urls()) {
        if (url.isLocalFile()) files << url.toLocalFile();
    }
    event->acceptProposedAction();
    addSounds(files);
}

}  // namespace ember::app
