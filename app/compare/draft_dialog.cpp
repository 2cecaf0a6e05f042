#include "app/compare/draft_dialog.h"

#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "core/base/background.h"
#include "core/base/error.h"
#include "core/library/library.h"

#include <QDialogButtonBox>
#include <QFileDialog>
#include <QGridLayout>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace {

constexpr int kCandidates = 6;

}  // namespace

DraftDialog::DraftDialog(Workspace& workspace, Listener& listener, Player& player,
                         ReferenceReading reading, std::filesystem::path index, QWidget* parent)
    : QDialog(parent),
      workspace_(workspace),
      listener_(listener),
      player_(player),
      reading_(std::move(reading)),
      index_(std::move(index)) {
    setWindowTitle(tr("A draft from the record"));
    setObjectName("draft");
    resize(620, 260);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(windowTitle(), this));
    words_ = new QLabel(this);
    words_->setObjectName("draft-words");
    words_->setWordWrap(true);
    box->addWidget(words_);
    auto* grid = new QGridLayout;
    grid->setColumnStretch(2, 1);
    for (const StrokesHeard& heard : reading_.heard) {
        const bool loudEnough =
            std::any_of(reading_.whole.drums.begin(), reading_.whole.drums.end(),
                        [&](const DrumStands& d) { return d.drum == heard.drum; });
        if (!loudEnough) continue;
        const int line = static_cast<int>(parts_.size());
        const QString drum = QString::fromStdString(heard.drum);
        Part part;
        part.drum = heard.drum;
        part.wanted = new QCheckBox(QString::fromStdString(usualDrumName(heard.drum)), this);
        part.wanted->setObjectName("draft-wanted-" + drum);
        part.wanted->setToolTip(tr("Whether the draft plays it."));
        part.wanted->setChecked(true);
        grid->addWidget(part.wanted, line, 0);
        auto* sure = new QLabel(
            tr("%1 strokes, %2 % sure").arg(heard.strokes).arg(figure(100.0 * heard.sure, 0)),
            this);
        sure->setProperty("quiet", true);
        grid->addWidget(sure, line, 1);
        part.sound = new QComboBox(this);
        part.sound->setObjectName("draft-sound-" + drum);
        part.sound->setAccessibleName(tr("The sound that plays its %1").arg(part.wanted->text()));
        part.sound->setToolTip(tr("What of the library is most like it, or a file of one’s own."));
        part.sound->setPlaceholderText(tr("no sound chosen"));
        part.sound->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        grid->addWidget(part.sound, line, 2);
        auto* file = namedButton(tr("File …"), "", tr("Another sound."), this);
        file->setObjectName("draft-file-" + drum);
        file->setAccessibleName(tr("Another sound for its %1").arg(part.wanted->text()));
        connect(file, &QPushButton::clicked, this, [this, part] { chooseFile(part); });
        grid->addWidget(file, line, 3);
        connect(part.wanted, &QCheckBox::toggled, this, &DraftDialog::refresh);
        connect(part.sound, &QComboBox::currentIndexChanged, this, &DraftDialog::refresh);
        parts_.push_back(part);
    }
    box->addLayout(grid);
    box->addStretch(1);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    hear_ = namedButton(tr("Hear it"), "draft-hear",
                        tr("The mix with the draft in it, from the next beat on; again: without."),
                        this);
    hear_->setCheckable(true);
    make_ = namedButton(tr("Make the draft"), "draft-make",
                        tr("Rows and notes of what is ticked, as one edit."), this);
    buttons->addButton(hear_, QDialogButtonBox::ActionRole);
    buttons->addButton(make_, QDialogButtonBox::ActionRole);
    connect(hear_, &QPushButton::clicked, this, &DraftDialog::hear);
    connect(make_, &QPushButton::clicked, this, &DraftDialog::make);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&looking_, &QFutureWatcherBase::finished, this, &DraftDialog::found);
    connect(&workspace_, &Workspace::opened, this, &QDialog::reject);
    connect(&player_, &Player::previewChanged, this, [this](bool on) {
        if (!on) hear_->setChecked(false);
    });
    connect(this, &QDialog::finished, this, [this] {
        if (hear_->isChecked()) hear(false);
    });
    std::vector<std::string> drums;
    for (const Part& part : parts_) drums.push_back(part.drum);
    looking_.setFuture(QtConcurrent::run(
        [session = workspace_.session(), store = &workspace_.store(), reading = reading_,
         folder = cuts_.path().toStdString(), index = index_, drums = std::move(drums)] {
            stepBack();
            return outcomeOf({}, [&] {
                Candidates out;
                const Library library(index);
                LibrarySearch search;
                search.limit = kCandidates;
                for (const std::string& drum : drums) {
                    out.emplace_back();
                    try {
                        const auto cut = cutFromReference(session, *store, reading, drum, folder);
                        const auto features = featuresOf(cut);
                        search.role = songRole(drum);
                        auto alike = library.similar(features, search);
                        search.role.reset();
                        if (alike.empty()) alike = library.similar(features, search);
                        for (const LibraryMatch& match : alike)
                            out.back().push_back(match.sound.file);
                    } catch (const Error&) {
                        continue;  // none stands alone: any file will do
                    }
                }
                return out;
            });
        }));
    refresh();
}

DraftDialog::~DraftDialog() {
    looking_.waitForFinished();
}

void DraftDialog::found() {
    const auto outcome = looking_.result();
    if (!outcome.problem.isEmpty()) return words_->setText(outcome.problem);
    for (std::size_t p = 0; p < parts_.size() && p < outcome.value.size(); ++p) {
        for (const auto& file : outcome.value[p])
            parts_[p].sound->addItem(QString::fromStdString(file.stem().string()),
                                     QString::fromStdString(file.string()));
        if (parts_[p].sound->currentIndex() < 0) parts_[p].sound->setCurrentIndex(0);
    }
    refresh();
}

void DraftDialog::offer(const std::string& drum, const QString& file) {
    for (const Part& part : parts_) {
        if (part.drum != drum) continue;
        part.sound->insertItem(0, QFileInfo(file).completeBaseName(), file);
        part.sound->setCurrentIndex(0);
    }
}

void DraftDialog::chooseFile(const Part& part) {
    const QString file =
        QFileDialog::getOpenFileName(this, tr("A sound for its %1").arg(part.wanted->text()));
    if (!file.isEmpty()) offer(part.drum, file);
}

std::vector<DraftPart> DraftDialog::chosen() const {
    std::vector<DraftPart> out;
    for (const Part& part : parts_) {
        const QString file = part.sound->currentData().toString();
        if (part.wanted->isChecked() && !file.isEmpty())
            out.push_back({part.drum, file.toStdString()});
    }
    return out;
}

void DraftDialog::refresh() {
    const bool any = !chosen().empty();
    hear_->setEnabled(any);
    make_->setEnabled(any);
    if (hear_->isChecked()) hear(any);
    if (looking()) return words_->setText(tr("Looking through the library …"));
    if (parts_.empty())
        return words_->setText(tr("Too few strokes were heard in the record for a draft of it."));
    const bool empty = std::all_of(parts_.begin(), parts_.end(),
                                   [](const Part& p) { return p.sound->count() == 0; });
    words_->setText(
        empty ? tr("The library has nothing like it: add a folder of one-shots on the Layers page, "
                   "or choose files.")
              : tr("What is struck in the record, by its bars, played by these sounds, as loud "
                   "against each other as its drums are. Rows of their own; all else stays."));
}

void DraftDialog::hear(bool on) {
    hear_->setChecked(on);
    try {
        player_.preview(on ? std::optional(withDraft(workspace_.session(), workspace_.store(),
                                                     reading_, chosen())
                                               .session)
                           : std::nullopt);
    } catch (const Error& error) {
        hear_->setChecked(false);
        words_->setText(QString::fromUtf8(error.what()));
    }
}

void DraftDialog::make() {
    try {
        DraftMade made = withDraft(workspace_.session(), workspace_.store(), reading_, chosen());
        std::vector<Why> why;
        for (const std::string& row : made.rows) why.push_back({row, {}, "a draft from a record"});
        // What was heard comes with rows that are struck: one step back for both.
        workspace_.edit(listener_.withStrokesHeard(std::move(made.session)), {}, why);
        accept();
    } catch (const Error& error) {
        words_->setText(QString::fromUtf8(error.what()));
    }
}

}  // namespace ember::app
