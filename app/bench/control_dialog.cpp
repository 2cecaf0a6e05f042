#include "app/bench/control_dialog.h"

#include "app/theme/theme.h"
#include "app/widgets/labels.h"
#include "core/base/error.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QShortcut>
#include <QVBoxLayout>

#include <algorithm>

namespace ember::app {
namespace {

constexpr int kFrom = 1, kTo = 2;  // columns

const Parameter& parameterOf(const Stage& stage, const std::string& id) {
    const ParameterTable table = processorType(stage.type).table;
    return table[static_cast<std::size_t>(parameterIndex(table, id))];
}

QString called(const Row& row, const Stage& stage, const std::string& parameter) {
    const ParameterTable table = processorType(stage.type).table;
    const auto index = static_cast<std::size_t>(parameterIndex(table, parameter));
    // Two of one kind are told apart by their ids.
    const auto twins = std::count_if(row.chain.begin(), row.chain.end(),
                                     [&](const Stage& s) { return s.type == stage.type; });
    return QString::fromStdString((twins > 1 ? stage.id : processorType(stage.type).label) + " · " +
                                  parameterLabel(stage, index));
}

}  // namespace

ControlDialog::ControlDialog(Workspace& workspace, std::string row, const std::string& control,
                             QWidget* parent)
    : QDialog(parent), workspace_(workspace), row_(std::move(row)), control_(control) {
    setObjectName("control-dialog");
    setWindowTitle(tr("A control of your own"));
    resize(620, 420);
    if (control_.empty()) control_ = freeName();
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(tr("One bar, several parameters"), this));
    auto* words = quietLabel(this, "control-words");
    words->setText(
        tr("Each parameter goes from its first value to its second while the bar goes from 0 to "
           "100 %, evenly on its own scale. The control is kept with the steps: it goes along into "
           "chains, presets and copies to other rows. Controls of one name in several rows can be "
           "one big control."));
    box->addWidget(words);
    auto* head = new QHBoxLayout;
    head->addWidget(new QLabel(tr("Called"), this));
    name_ = new QLineEdit(QString::fromStdString(control_), this);
    name_->setObjectName("control-name");
    name_->setAccessibleName(tr("Name of the control"));
    name_->setMaxLength(static_cast<int>(kLongestControlName));
    connect(name_, &QLineEdit::editingFinished, this, &ControlDialog::rename);
    head->addWidget(name_, 1);
    box->addLayout(head);
    together_ = new QCheckBox(this);
    together_->setObjectName("control-together");
    together_->setToolTip(
        tr("Moved in one row, it moves in every row that has a control of this name."));
    connect(together_, &QCheckBox::toggled, this, [this](bool on) {
        if (filling_) return;
        change([&] { return withControlTogether(workspace_.session(), control_, on); });
    });
    box->addWidget(together_);
    table_ = new QTableWidget(0, 3, this);
    table_->setObjectName("control-table");
    table_->setAccessibleName(tr("What it moves"));
    table_->setHorizontalHeaderLabels({tr("Parameter"), tr("At 0 %"), tr("At 100 %")});
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    for (const int column : {kFrom, kTo}) table_->setColumnWidth(column, 120);
    table_->verticalHeader()->hide();
    table_->setTabKeyNavigation(false);
    table_->setShowGrid(false);
    table_->setAlternatingRowColors(true);
    table_->setToolTip(tr("Type an end; Delete takes the chosen parameter away."));
    connect(table_, &QTableWidget::itemChanged, this, &ControlDialog::typed);
    connect(table_, &QTableWidget::itemSelectionChanged, this,
            [this] { remove_->setEnabled(table_->currentRow() >= 0); });
    auto* gone = new QShortcut(Qt::Key_Delete, table_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(gone, &QShortcut::activated, this, &ControlDialog::remove);
    box->addWidget(table_, 1);
    auto* line = new QHBoxLayout;
    choice_ = new QComboBox(this);
    choice_->setObjectName("control-choice");
    choice_->setAccessibleName(tr("A parameter to move"));
    choice_->setMaxVisibleItems(24);
    line->addWidget(choice_, 1);
    add_ =
        namedButton(tr("Move this too"), "control-add",
                    tr("From where it is now to the end of its range; both can be typed."), this);
    connect(add_, &QPushButton::clicked, this, &ControlDialog::add);
    line->addWidget(add_);
    remove_ = namedButton(tr("No longer"), "control-remove",
                          tr("The control moves the chosen parameter no longer."), this);
    remove_->setEnabled(false);
    connect(remove_, &QPushButton::clicked, this, &ControlDialog::remove);
    line->addWidget(remove_);
    box->addLayout(line);
    problem_ = new QLabel(this);
    problem_->setObjectName("control-problem");
    problem_->setWordWrap(true);
    problem_->setMinimumHeight(20);
    box->addWidget(problem_);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    // Enter in a field takes what was typed and closes nothing.
    for (QAbstractButton* button : buttons->buttons())
        static_cast<QPushButton*>(button)->setAutoDefault(false);
    add_->setAutoDefault(false);
    remove_->setAutoDefault(false);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&workspace_, &Workspace::changed, this, &ControlDialog::fill);
    connect(&workspace_, &Workspace::opened, this, &QDialog::reject);
    fill();
    name_->selectAll();
}

std::string ControlDialog::freeName() const {
    const Row* row = findRow(workspace_.session(), row_);
    const auto controls = row != nullptr ? controlsOf(*row) : std::vector<RowControl>{};
    for (int n = 1;; ++n) {
        std::string name = tr("Control %1").arg(n).toStdString();
        if (std::none_of(controls.begin(), controls.end(),
                         [&](const RowControl& c) { return c.name == name; }))
            return name;
    }
}

void ControlDialog::fill() {
    const Row* row = findRow(workspace_.session(), row_);
    if (row == nullptr) return reject();
    filling_ = true;
    const int at = table_->currentRow(), column = table_->currentColumn();
    lines_.clear();
    for (const Stage& stage : row->chain) {
        for (const ControlTarget& t : stage.controls) {
            if (t.control == control_) lines_.push_back({stage.id, t.parameter});
        }
    }
    table_->setRowCount(static_cast<int>(lines_.size()));
    for (int l = 0; l < table_->rowCount(); ++l) {
        const Place& place = lines_[static_cast<std::size_t>(l)];
        const Stage& stage = *findStage(*row, place.stage);
        const auto& t =
            *std::find_if(stage.controls.begin(), stage.controls.end(),
                          [&](const ControlTarget& x) { return x.parameter == place.parameter; });
        const Parameter& p = parameterOf(stage, place.parameter);
        auto* name = new QTableWidgetItem(called(*row, stage, place.parameter));
        name->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable);
        name->setToolTip(QString::fromStdString(p.doc));
        table_->setItem(l, 0, name);
        for (const auto& [to, value] : {std::pair{kFrom, t.from}, std::pair{kTo, t.to}}) {
            auto* item = new QTableWidgetItem(QString::fromStdString(formatValue(p, value)));
            item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            item->setData(Qt::AccessibleTextRole, name->text() + ", " +
                                                      table_->horizontalHeaderItem(to)->text() +
                                                      ", " + item->text());
            table_->setItem(l, to, item);
        }
    }
    if (at >= 0 && table_->rowCount() > 0)
        table_->setCurrentCell(std::min(at, table_->rowCount() - 1), column);
    remove_->setEnabled(table_->currentRow() >= 0);
    QStringList rows;
    for (const std::string& id : rowsWithControl(workspace_.session(), control_)) {
        if (id != row_) rows << QString::fromStdString(findRow(workspace_.session(), id)->name);
    }
    together_->setText(rows.isEmpty()
                           ? tr("One with controls of this name in other rows")
                           : tr("One with those of %1").arg(rows.join(QLatin1String(", "))));
    together_->setChecked(movesTogether(workspace_.session(), control_));
    fillChoice();
    filling_ = false;
}

void ControlDialog::fillChoice() {
    const Row& row = *findRow(workspace_.session(), row_);
    const QString was = choice_->currentText();
    choice_->clear();
    choices_.clear();
    for (const Stage& stage : row.chain) {
        for (const Parameter& p : processorType(stage.type).table) {
            const bool taken =
                std::any_of(stage.controls.begin(), stage.controls.end(),
                            [&](const ControlTarget& t) { return t.parameter == p.id; });
            if (taken || !controllable(stage, p)) continue;
            choices_.push_back({stage.id, p.id});
            choice_->addItem(called(row, stage, p.id));
        }
    }
    choice_->setCurrentIndex(std::max(0, choice_->findText(was)));
    add_->setEnabled(choice_->count() > 0);
}

void ControlDialog::refuse(const QString& sentence) {
    problem_->setText(sentence);
}

void ControlDialog::change(const std::function<Session()>& make) {
    try {
        workspace_.edit(make());
        refuse({});
    } catch (const Error& error) {
        refuse(QString::fromStdString(error.what()));
    }
}

void ControlDialog::rename() {
    const std::string name = name_->text().trimmed().toStdString();
    if (name == control_) return;
    if (lines_.empty()) {
        // Nothing of it is in the session yet.
        if (!name.empty()) control_ = name;
        name_->setText(QString::fromStdString(control_));
        return fill();
    }
    const std::string old = control_;
    change([&] {
        Session next = withControlNamed(workspace_.session(), row_, old, name);
        control_ = name;
        return next;
    });
    if (control_ == old) name_->setText(QString::fromStdString(old));
}

void ControlDialog::add() {
    const int at = choice_->currentIndex();
    if (at < 0) return;
    const Place place = choices_[static_cast<std::size_t>(at)];
    change([&] {
        const Row& row = *findRow(workspace_.session(), row_);
        const Stage& stage = *findStage(row, place.stage);
        const Parameter& p = parameterOf(stage, place.parameter);
        const double now = stage.values[static_cast<std::size_t>(
            parameterIndex(processorType(stage.type).table, place.parameter))];
        return withControlTarget(
            workspace_.session(), row_, place.stage,
            {control_, place.parameter, now, now == p.maximum ? p.minimum : p.maximum});
    });
    table_->setCurrentCell(table_->rowCount() - 1, kTo);
}

void ControlDialog::remove() {
    const int at = table_->currentRow();
    if (at < 0 || at >= static_cast<int>(lines_.size())) return;
    const Place place = lines_[static_cast<std::size_t>(at)];
    change([&] {
        return withoutControlTarget(workspace_.session(), row_, place.stage, control_,
                                    place.parameter);
    });
}

void ControlDialog::typed(const QTableWidgetItem* item) {
    if (filling_ || item->column() == 0) return;
    const Place place = lines_[static_cast<std::size_t>(item->row())];
    const bool hundred = item->column() == kTo;
    const std::string text = item->text().toStdString();
    change([&] {
        const Stage& stage = *findStage(*findRow(workspace_.session(), row_), place.stage);
        ControlTarget t =
            *std::find_if(stage.controls.begin(), stage.controls.end(),
                          [&](const ControlTarget& x) { return x.parameter == place.parameter; });
        (hundred ? t.to : t.from) =
            parseValue(parameterOf(stage, place.parameter), text, tempoHere(workspace_.session()));
        return withControlTarget(workspace_.session(), row_, place.stage, t);
    });
    // The edit of the cell is over only after this.
    QMetaObject::invokeMethod(this, &ControlDialog::fill, Qt::QueuedConnection);
}

}  // namespace ember::app
