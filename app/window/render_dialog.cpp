#include "app/window/render_dialog.h"

#include "app/widgets/figures.h"
#include "core/base/error.h"

#include <QDir>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QMessageBox>
#include <QtConcurrent/QtConcurrentRun>

#include <cmath>

namespace ember::app {

RenderDialog::RenderDialog(Workspace& workspace, QWidget* parent)
    : QDialog(parent), workspace_(workspace) {
    setWindowTitle(tr("Render the mix"));
    setMinimumWidth(560);
    auto* form = new QFormLayout(this);
    form->setSpacing(8);
    auto* title = new QLabel(tr("The mix as a file"), this);
    title->setProperty("title", true);
    form->addRow(title);
    auto* line = new QHBoxLayout;
    file_ = new QLineEdit(this);
    file_->setAccessibleName(tr("File to write"));
    file_->setToolTip(tr("WAV, or FLAC of 16 or 24 bit where the name ends in .flac."));
    const QString base =
        workspace.path().isEmpty()
            ? QDir::homePath() + "/" + QString::fromStdString(workspace.session().name)
            : QFileInfo(workspace.path()).path() + "/" +
                  QFileInfo(workspace.path()).completeBaseName();
    file_->setText(base + " mix.wav");
    auto* browse = new QPushButton(tr("Choose …"), this);
    connect(browse, &QPushButton::clicked, this, [this] {
        const QString chosen = QFileDialog::getSaveFileName(
            this, tr("Render to"), file_->text(), tr("WAV (*.wav);;FLAC (*.flac)"), nullptr,
            QFileDialog::DontConfirmOverwrite);
        if (!chosen.isEmpty()) file_->setText(chosen);
    });
    line->addWidget(file_, 1);
    line->addWidget(browse);
    form->addRow(tr("File"), line);
    depth_ = new QComboBox(this);
    depth_->addItems({tr("16 bit, dithered"), tr("24 bit"), tr("32 bit float")});
    depth_->setCurrentIndex(1);
    form->addRow(tr("Depth"), depth_);
    stems_ = new QCheckBox(tr("Stems too, in a folder beside it (32 bit float)"), this);
    loopOnly_ = new QCheckBox(tr("Only the loop"), this);
    loopOnly_->setEnabled(workspace.session().loop.to > workspace.session().loop.from);
    guests_ = new QCheckBox(tr("With the guests"), this);
    form->addRow({}, stems_);
    form->addRow({}, loopOnly_);
    form->addRow({}, guests_);
    progress_ = new QProgressBar(this);
    progress_->setRange(0, 1000);
    progress_->setTextVisible(false);
    form->addRow(progress_);
    state_ = new QLabel(this);
    state_->setWordWrap(true);
    state_->setMinimumHeight(36);
    form->addRow(state_);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    close_ = new QPushButton(tr("Close"), this);
    render_ = new QPushButton(tr("Render"), this);
    render_->setDefault(true);
    render_->setObjectName("render-go");
    buttons->addWidget(close_);
    buttons->addWidget(render_);
    form->addRow(buttons);
    connect(close_, &QPushButton::clicked, this, &RenderDialog::reject);
    connect(render_, &QPushButton::clicked, this, [this] {
        if (QFileInfo::exists(file_->text()) &&
            QMessageBox::question(
                this, tr("Replace?"),
                tr("“%1” exists. Replace it?").arg(QFileInfo(file_->text()).fileName())) !=
                QMessageBox::Yes) {
            return;
        }
        start();
    });
    connect(&running_, &QFutureWatcher<void>::finished, this, &RenderDialog::ended);
}

RenderDialog::~RenderDialog() {
    abandon_ = true;
    running_.waitForFinished();
}

void RenderDialog::start() {
    if (running_.isRunning()) return;
    abandon_ = false;
    error_.clear();
    finished_.clear();
    render_->setEnabled(false);
    close_->setText(tr("Cancel"));
    state_->setText(tr("Rendering …"));
    RenderOptions options;
    options.withGuests = guests_->isChecked();
    options.tail = true;
    const Session session = workspace_.session();
    if (loopOnly_->isChecked()) {
        options.from = session.loop.from;
        options.to = session.loop.to;
    }
    const SampleDepth depth =
        depth_->currentIndex() == 0
            ? SampleDepth::pcm16
            : (depth_->currentIndex() == 1 ? SampleDepth::pcm24 : SampleDepth::float32);
    const std::filesystem::path file = file_->text().toStdString();
    const bool stems = stems_->isChecked();
    AudioStore* store = &workspace_.store();
    running_.setFuture(QtConcurrent::run([this, options, session, depth, file, stems, store] {
        const double part = stems ? 0.4 : 1.0;
        const auto watch = [this](double from, double share) {
            return [this, from, share](double done, const std::string&) {
                QMetaObject::invokeMethod(
                    this, [this, value = static_cast<int>((from + share * done) * 1000.0)] {
                        progress_->setValue(value);
                    });
                return !abandon_.load();
            };
        };
        try {
            const RenderReport report =
                renderToFile(session, *store, options, file, depth, watch(0.0, part));
            finished_ =
                tr("Done: %1 LUFS, true peak %2 dBTP.")
                    .arg(figure(report.loudness.integrated), figure(report.loudness.truePeak));
            if (report.tail > 0)
                finished_ +=
                    tr(" It rings on for %1 s after the last recording.")
                        .arg(figure(static_cast<double>(report.tail) / session.sampleRate, 2));
            for (const std::string& problem : report.problems)
                finished_ += "\n" + QString::fromStdString(problem);
            if (stems) {
                std::filesystem::path folder = file;
                folder.replace_extension();
                folder += " stems";
                const RenderReport s =
                    renderStems(session, *store, options, folder, watch(part, 1.0 - part));
                finished_ += tr(" %1 stems, which sum to the mix within %2 dBFS.")
                                 .arg(s.files.size())
                                 .arg(figure(s.stems.throughBusesDb, 0));
            }
        } catch (const std::exception& e) {
            error_ = QString::fromUtf8(e.what());
        }
    }));
}

void RenderDialog::ended() {
    render_->setEnabled(true);
    close_->setText(tr("Close"));
    progress_->setValue(error_.isEmpty() ? 1000 : 0);
    state_->setText(error_.isEmpty() ? finished_ : error_);
    emit finishedWith(state_->text(), error_.isEmpty());
}

void RenderDialog::reject() {
    if (running_.isRunning()) {
        abandon_ = true;
        return;
    }
    QDialog::reject();
}

}  // namespace ember::app
