#include "app/intake/intake_table.h"

#include "app/theme/theme.h"
#include "app/widgets/certainty.h"
#include "app/widgets/figures.h"
#include "app/widgets/parameter_field.h"
#include "core/base/error.h"
#include "core/session/kit.h"

#include <QComboBox>
#include <QHeaderView>
#include <QKeyEvent>
#include <QToolButton>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace ember::app {
namespace {

constexpr std::array kKinds{RowKind::element, RowKind::guest, RowKind::reference};
constexpr int kWaveWidth = 118;

Certainty certainty(const IntakeEntry& e) {
    return e.kind == RowKind::element ? certaintyOf(e.role, e.who) : Certainty::sure;
}

// The shape that says how sure a role is, with the grounds beside it.
class GroundsCell : public QWidget {
  public:
    GroundsCell(const IntakeEntry& e, QWidget* parent) : QWidget(parent), certainty_(certainty(e)) {
        text_ = certaintyLabel(certainty_);
        const QString grounds = groundsLabel(e.who);
        grounds_ = grounds.isEmpty() ? QObject::tr("nothing yet") : grounds;
        setAccessibleName(QObject::tr("Certainty of %1").arg(QString::fromStdString(e.name)));
        setAccessibleDescription(text_ + ", " + grounds_);
        setToolTip(QObject::tr("%1: it rests on %2.").arg(text_, grounds_));
        setAttribute(Qt::WA_TransparentForMouseEvents, false);
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        paintCertainty(painter, QRectF(6, height() / 2.0 - 7.0, 14, 14), certainty_);
        painter.setFont(face(12));
        painter.setPen(certainty_ == Certainty::unsure ? colours().chalk : colours().quiet);
        const QString words = text_ + ": " + grounds_;
        painter.drawText(QRectF(28, 0, width() - 30.0, height()), Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(words, Qt::ElideRight, width() - 30));
    }

  private:
    Certainty certainty_;
    QString text_, grounds_;
};

// The recording from beginning to end, what its file is called, and of what kind it is.
class WaveCell : public QWidget {
  public:
    WaveCell(const IntakeEntry& e, AudioStore& store, int rate, QWidget* parent)
        : QWidget(parent),
          format_(QString::fromStdString(e.format)),
          file_(QString::fromStdString(e.fileName)) {
        if (e.sources.size() == 2 && e.sources[0].file != e.sources[1].file)
            format_ += QObject::tr(", two files");
        try {
            const auto clip = store.open(e.sources.front().file, rate);
            float most = 1e-6F;
            for (int i = 0; i < kWaveWidth; ++i) {
                const WaveBin bin =
                    clip->summary(e.sources.front().channel, clip->frames() * i / kWaveWidth,
                                  std::max(clip->frames() * (i + 1) / kWaveWidth,
                                           clip->frames() * i / kWaveWidth + 1));
                wave_[static_cast<std::size_t>(i)] =
                    std::max(std::abs(bin.low), std::abs(bin.high));
                most = std::max(most, wave_[static_cast<std::size_t>(i)]);
            }
            for (float& v : wave_) v /= most;
        } catch (const Error&) {
            wave_.fill(0.0F);  // its row says what is wrong
        }
        setToolTip(file_.isEmpty() ? format_ : file_ + ": " + format_);
        setAccessibleName(QObject::tr("Recording of %1").arg(QString::fromStdString(e.name)));
        setAccessibleDescription(toolTip());
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        painter.setPen(colours().wave);
        const double middle = height() / 2.0;
        for (int i = 0; i < kWaveWidth; ++i) {
            const double h =
                static_cast<double>(wave_[static_cast<std::size_t>(i)]) * (middle - 5.0);
            painter.drawLine(QPointF(6.0 + i, middle - h), QPointF(6.0 + i, middle + h));
        }
        painter.setFont(face(12));
        painter.setPen(colours().quiet);
        const int left = kWaveWidth + 14;
        painter.drawText(QRectF(left, 0, width() - left, height()), Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(file_.isEmpty() ? format_ : file_,
                                                          Qt::ElideMiddle, width() - left));
    }

  private:
    QString format_, file_;
    std::array<float, kWaveWidth> wave_{};
};

// Where it is loudest: that is worth hearing.
LoopSpan loudest(const Clip& clip, int channel, double offset) {
    constexpr double kSpan = 4.0;
    const auto second = static_cast<Frames>(clip.sampleRate());
    Frames best = 0;
    float most = -1.0F;
    for (Frames at = 0; at < clip.frames(); at += second) {
        const float energy =
            clip.summary(channel, at, std::min(at + second, clip.frames())).meanSquare;
        if (energy > most) {
            most = energy;
            best = at;
        }
    }
    const double from = std::max(0.0, static_cast<double>(best) / clip.sampleRate() + offset - 0.5);
    return {true, from, from + kSpan};
}

}  // namespace

IntakeTable::IntakeTable(AudioStore& store, QWidget* parent)
    : QTableWidget(0, kFields, parent), store_(store) {
    setObjectName("intake-table");
    setTabKeyNavigation(false);  // Tab goes on to what is done with it
    setHorizontalHeaderLabels({QString(), tr("Name"), tr("Role"), tr("Rests on"), tr("Part"),
                               tr("Recording"), tr("Peak"), tr("Unusual")});
    verticalHeader()->hide();
    verticalHeader()->setDefaultSectionSize(36);
    horizontalHeader()->setSectionResizeMode(QHeaderView::Interactive);
    horizontalHeader()->setStretchLastSection(true);
    horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    for (const auto& [field, width] : std::initializer_list<std::pair<int, int>>{{kHear, 38},
                                                                                 {kName, 178},
                                                                                 {kRole, 158},
                                                                                 {kGrounds, 212},
                                                                                 {kKind, 104},
                                                                                 {kFiles, 268},
                                                                                 {kLevel, 78}})
        setColumnWidth(field, width);
    setSelectionBehavior(QAbstractItemView::SelectRows);
    setSelectionMode(QAbstractItemView::ExtendedSelection);
    setWordWrap(false);
    connect(this, &QTableWidget::cellChanged, this, &IntakeTable::correct);
    connect(this, &QTableWidget::itemSelectionChanged, this, &IntakeTable::changed);
}

void IntakeTable::show(Intake intake) {
    intake_ = std::move(intake);
    heard_ = -1;
    sort();
    fill();
}

void IntakeTable::sort() {
    std::stable_sort(intake_.entries.begin(), intake_.entries.end(),
                     [](const IntakeEntry& a, const IntakeEntry& b) {
                         const bool ua = certainty(a) == Certainty::unsure,
                                    ub = certainty(b) == Certainty::unsure;
                         if (ua != ub) return ua;
                         if (a.kind != b.kind) return a.kind < b.kind;
                         return kitOrder(a.role) < kitOrder(b.role);
                     });
}

int IntakeTable::unsure() const {
    return static_cast<int>(
        std::count_if(intake_.entries.begin(), intake_.entries.end(),
                      [](const IntakeEntry& e) { return certainty(e) == Certainty::unsure; }));
}

void IntakeTable::fill() {
    filling_ = true;
    setRowCount(static_cast<int>(intake_.entries.size()));
    for (int row = 0; row < rowCount(); ++row) fillRow(row);
    filling_ = false;
    emit changed();
}

void IntakeTable::fillRow(int row) {
    const IntakeEntry& e = entry(row);
    const auto item = [&](int column, const QString& words, bool editable = false) {
        auto* cell = new QTableWidgetItem(words);
        cell->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable |
                       (editable ? Qt::ItemIsEditable : Qt::NoItemFlags));
        cell->setToolTip(words);
        setItem(row, column, cell);
        return cell;
    };
    const QString name = QString::fromStdString(e.name);
    item(kName, name, true)
        ->setToolTip(e.fileName.empty() || e.fileName == e.name
                         ? tr("Type another name.")
                         : tr("The file is called “%1”. Type another name, or use the files’ own "
                              "names below.")
                               .arg(QString::fromStdString(e.fileName)));
    item(kLevel, e.peakDb < -90.0
                     ? tr("silent")
                     : (e.peakDb < 0 ? QStringLiteral("−%1 dB") : QStringLiteral("%1 dB"))
                           .arg(figure(std::abs(e.peakDb), 1)));
    QStringList remarks;
    for (const std::string& remark : e.remarks) remarks << QString::fromStdString(remark);
    item(kRemarks, remarks.isEmpty() ? tr("nothing") : remarks.join(" "));
    for (const int empty : {kHear, kRole, kGrounds, kKind, kFiles}) item(empty, {});

    auto* listen = new QToolButton(this);
    listen->setText(QStringLiteral("▸"));
    listen->setCheckable(true);
    listen->setChecked(row == heard_);
    listen->setAutoRaise(true);
    listen->setAccessibleName(tr("Hear %1").arg(name));
    listen->setToolTip(tr("Hear it where it is loudest (Space); once more for silence."));
    connect(listen, &QToolButton::clicked, this, [this, row] { hear(row); });
    setCellWidget(row, kHear, listen);

    auto* role = new QComboBox(this);
    const auto add = [&](Role r, const QString& label) {
        role->addItem(label, static_cast<int>(r));
    };
    if (certainty(e) == Certainty::unsure && e.role != Role::unknown) {
        // The likeliest first, each with how sure it is.
        const auto likely = [&](Role r, double sure) {
            add(r, tr("%1, %2 %").arg(roleName(r)).arg(figure(100.0 * sure, 0)));
        };
        for (const Likely& l : likeliest(e.role, e.who)) likely(l.role, l.sure);
        role->insertSeparator(role->count());
    }
    for (const Role r : rolesToChoose()) add(r, roleName(r));
    role->setCurrentIndex(role->findData(static_cast<int>(e.role)));
    role->setAccessibleName(tr("Role of %1").arg(name));
    role->setToolTip(tr("What this is. Choosing makes it sure."));
    connect(role, &QComboBox::activated, this, [this, row, role](int index) {
        give(row, static_cast<Role>(role->itemData(index).toInt()));
        fillRow(row);
        emit changed();
    });
    setCellWidget(row, kRole, role);
    setCellWidget(row, kGrounds, new GroundsCell(e, this));
    auto* kind = new QComboBox(this);
    for (const RowKind k : kKinds) kind->addItem(spoken(std::string(toString(k))));
    kind->setCurrentIndex(
        static_cast<int>(std::find(kKinds.begin(), kKinds.end(), e.kind) - kKinds.begin()));
    kind->setAccessibleName(tr("Part of %1").arg(name));
    connect(kind, &QComboBox::activated, this, [this, row](int index) {
        entry(row).kind = kKinds[static_cast<std::size_t>(index)];
        fillRow(row);
        emit changed();
    });
    setCellWidget(row, kKind, kind);
    setCellWidget(row, kFiles, new WaveCell(e, store_, intake_.sampleRate, this));
}

void IntakeTable::give(int row, Role role) {
    IntakeEntry& e = entry(row);
    e.role = role;
    e.who = {role == Role::unknown ? 0.0 : 1.0, {"person"}, {}};
    if (role == Role::bass) e.kind = RowKind::guest;
    if (role == Role::reference) e.kind = RowKind::reference;
}

void IntakeTable::correct(int row, int column) {
    if (filling_ || column != kName) return;
    const QString name = item(row, kName)->text().trimmed();
    if (!name.isEmpty()) {
        entry(row).name = name.toStdString();
        return;
    }
    filling_ = true;
    item(row, kName)->setText(QString::fromStdString(entry(row).name));
    filling_ = false;
    emit refused(tr("A row needs a name; the old one stays."));
}

std::vector<int> IntakeTable::chosen() const {
    std::set<int> rows;
    for (const QModelIndex& index : selectedIndexes()) rows.insert(index.row());
    return {rows.begin(), rows.end()};
}

bool IntakeTable::canPair() const {
    const std::vector<int> rows = chosen();
    return rows.size() == 2 && std::all_of(rows.begin(), rows.end(), [&](int r) {
               return intake_.entries[static_cast<std::size_t>(r)].sources.size() == 1;
           });
}

bool IntakeTable::canPart() const {
    const std::vector<int> rows = chosen();
    return rows.size() == 1 &&
           intake_.entries[static_cast<std::size_t>(rows.front())].sources.size() == 2;
}

void IntakeTable::pair() {
    if (!canPair()) return;
    const std::vector<int> rows = chosen();
    IntakeEntry &left = entry(rows[0]), &right = entry(rows[1]);
    left.sources.push_back(right.sources.front());
    left.peakDb = std::max(left.peakDb, right.peakDb);
    for (const std::string& remark : right.remarks) left.remarks.push_back("Right: " + remark);
    intake_.entries.erase(intake_.entries.begin() + rows[1]);
    fill();
    selectRow(rows[0]);
}

void IntakeTable::part() {
    if (!canPart()) return;
    const int row = chosen().front();
    IntakeEntry right = entry(row);
    right.sources.erase(right.sources.begin());
    right.name += " R";
    IntakeEntry& left = entry(row);
    left.sources.pop_back();
    left.name += " L";
    intake_.entries.insert(intake_.entries.begin() + row + 1, std::move(right));
    fill();
    selectRow(row);
}

void IntakeTable::setRole(Role role) {
    const std::vector<int> rows = chosen();
    for (const int row : rows) give(row, role);
    fill();
}

void IntakeTable::useFileNames(bool own) {
    for (IntakeEntry& e : intake_.entries) {
        std::string& offered = offered_[e.fileName];
        if (offered.empty()) offered = e.name;
        e.name = own && !e.fileName.empty() ? e.fileName : offered;
    }
    fill();
}

void IntakeTable::hear(int row) {
    heard_ = heard_ == row ? -1 : row;
    for (int r = 0; r < rowCount(); ++r) {
        if (auto* button = qobject_cast<QToolButton*>(cellWidget(r, kHear)))
            button->setChecked(r == heard_);
    }
    Session session;
    if (heard_ >= 0) {
        const IntakeEntry& e = entry(row);
        try {
            Intake one;
            one.sampleRate = intake_.sampleRate;
            one.entries = {e};
            // A reference is heard like anything else here.
            one.entries.front().kind = RowKind::guest;
            session = sessionFrom(one, store_);
            const auto clip = store_.open(e.sources.front().file, intake_.sampleRate);
            session.loop = loudest(*clip, e.sources.front().channel, e.sources.front().offset);
        } catch (const Error& error) {
            heard_ = -1;
            emit refused(QString::fromUtf8(error.what()));
        }
    }
    emit hearAsked(session);
}

// Here Space hears a row; elsewhere it plays the session.
bool IntakeTable::event(QEvent* event) {
    if (event->type() == QEvent::ShortcutOverride &&
        static_cast<QKeyEvent*>(event)->key() == Qt::Key_Space) {
        event->accept();
        return true;
    }
    return QTableWidget::event(event);
}

void IntakeTable::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Space && currentRow() >= 0) {
        hear(currentRow());
        return;
    }
    QTableWidget::keyPressEvent(event);
}

}  // namespace ember::app
