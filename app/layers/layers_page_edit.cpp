// What is done to a stack from the page of layers: sounds that come and go, keys, drops.

#include "app/layers/layers_page.h"
#include "app/widgets/dropped_files.h"
#include "core/audio/file.h"
#include "core/base/error.h"
#include "core/measure/separate/kept_models.h"
#include "core/session/layers.h"

#include <QDragEnterEvent>
#include <QFileDialog>
#include <QInputDialog>
#include <QKeyEvent>
#include <QMimeData>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {

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

void LayersPage::findLike(const QString& file, const QString& name, const std::string& kind) {
    supportKind_ = kind;
    LibraryDialog& library = openLibrary();
    library.show();
    library.raise();
    library.showSimilar(file.toStdString(), name);
}

LibraryDialog& LayersPage::openLibrary(const std::filesystem::path& index) {
    if (library_ != nullptr) return *library_;
    library_ =
        new LibraryDialog(workspace_, player_, index.empty() ? defaultLibraryIndex() : index, this);
    connect(library_, &LibraryDialog::taken, this, [this](const QString& file, bool instead) {
        if (shown() != nullptr) return instead ? replaceSound(file) : addSounds({file});
        const auto& drums = workspace_.session().drums;
        const auto drum = std::find_if(drums.begin(), drums.end(), [this](const Drum& d) {
            return drumKindIn(workspace_.session(), d.id) == supportKind_;
        });
        if (drum != drums.end())
            support(drum->id, {file});
        else
            emit said(tr("Choose a row with layers first, or put sounds under a drum."));
    });
    connect(library_, &LibraryDialog::likeAsked, this, [this] {
        const Row* row = shown();
        const Layer* layer = row != nullptr ? findLayer(*row, chosen()) : nullptr;
        if (layer != nullptr)
            library_->showSimilar(layer->sounds.front().file, QString::fromStdString(layer->name));
    });
    return *library_;
}

void LayersPage::support(const std::string& drum, const QStringList& files, bool cut) {
    std::string made;
    workspace_.attempt([&] {
        const std::vector<Source> sounds = soundsOf(files);
        NewRow next = withLayerRow(workspace_.session(), drum,
                                   cut ? std::vector<Source>{sounds.front()} : sounds);
        if (cut) {
            const std::string layer = findRow(next.session, next.row)->layers.front().id;
            next.session = withLayerSounds(std::move(next.session), next.row, layer, sounds);
            // What is cut begins a little ahead of its stroke.
            next.session = withLayerValue(std::move(next.session), next.row, layer, "offset",
                                          -1000.0 * kCutAhead);
        }
        // What was heard is what starts them: one step back for both.
        made = next.row;
        return listener_.withStrokesHeard(std::move(next.session));
    });
    if (!made.empty()) open(made);
}

void LayersPage::askOwn(const std::string& drum) {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Where its samples go"));
    if (!folder.isEmpty()) supportByOwn(drum, folder);
}

void LayersPage::supportByOwn(const std::string& drum, const QString& folder) {
    const auto measured = listener_.measured();
    const Row* row = closeMicrophone(workspace_.session(), drum);
    if (cutting_.isRunning() || row == nullptr) return;
    if (measured == nullptr)
        return emit said(tr("The kit is listened to first; its strokes are what is cut."));
    cutDrum_ = drum;
    stopCutting_ = false;
    const auto tell = [this](double part, const QString& what) {
        emit said(tr("Cutting samples: %1, %2 %").arg(what).arg(std::lround(100.0 * part)));
    };
    cutting_.setFuture(QtConcurrent::run(
        [session = workspace_.session(), store = &workspace_.store(), measured, id = row->id,
         into = std::filesystem::path(folder.toStdString()),
         stopped = tr("Stopped; no sample was cut."), watch = watchedBy(this, stopCutting_, tell)] {
            return outcomeOf(stopped, [&] {
                const auto model =
                    findBleedModel(*store, bleedModelFor(session, *store, within(watch, 0.0, 0.6)));
                return cutSamples(session, *store, measured->strokes.strokes, *model, id, into, {},
                                  within(watch, 0.6, 1.0));
            });
        }));
}

void LayersPage::finishCutting() {
    const auto cut = cutting_.result();
    if (!cut.problem.isEmpty()) return emit said(cut.problem);
    int hardest = 0;
    for (const CutSample& s : cut.value) hardest = std::max(hardest, s.step);
    QStringList files;
    for (const CutSample& s : cut.value) {
        if (s.step == hardest) files << QString::fromStdString(s.file.string());
    }
    support(cutDrum_, files, true);
    emit said(tr("%1 samples cut, soft to hard; the hardest stand under %2.")
                  .arg(cut.value.size())
                  .arg(QString::fromStdString(drumName(workspace_.session(), cutDrum_))));
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
    const QStringList files = droppedFiles(*event->mimeData());
    event->acceptProposedAction();
    addSounds(files);
}

}  // namespace ember::app
