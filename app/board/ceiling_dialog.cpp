#include "app/board/ceiling_dialog.h"

#include "app/board/row_report_dialog.h"
#include "app/theme/theme.h"
#include "app/widgets/figures.h"
#include "app/widgets/labels.h"
#include "app/widgets/quiet_table.h"
#include "core/base/background.h"
#include "core/session/ceiling.h"

#include <QDialogButtonBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QVBoxLayout>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>
#include <cmath>

namespace ember::app {
namespace {

constexpr double kBottomDb = -90.0, kTopDb = 6.0;
constexpr double kRoomDb = 1.0;    // of a line that is drawn over what sounds
constexpr double kBeforeIt = 0.5;  // seconds: where one goes to hear a crossing
constexpr double kNextTo = 1.02;   // a point stays so far from its neighbours, as a ratio

const Parameter& windowParameter() {
    static const Parameter p{
        "window",
        "Window",
        Unit::milliseconds,
        kCeilingWindow.low,
        kCeilingWindow.high,
        Ceiling{}.windowMs,
        Scale::logarithmic,
        "How much is looked at at once. Longer tells low frequencies apart better, shorter says "
        "better when.",
        {}};
    return p;
}
const Parameter& averageParameter() {
    static const Parameter p{"average",
                             "Average",
                             Unit::milliseconds,
                             kCeilingAverage.low,
                             kCeilingAverage.high,
                             Ceiling{}.averageMs,
                             Scale::linear,
                             "Over how long levels are averaged; 0 shows every window as it is.",
                             {}};
    return p;
}
const Parameter& slopeParameter() {
    static const Parameter p{
        "slope",
        "Slope",
        Unit::dB,
        kCeilingSlope.low,
        kCeilingSlope.high,
        Ceiling{}.slopeDb,
        Scale::linear,
        "By how much an octave the spectrum is lifted, 1 kHz staying where it is: music falls "
        "towards the top, and looks level so.",
        {}};
    return p;
}

int pointOf(const QString& id) {
    return id.mid(1).toInt();
}

}  // namespace

CeilingDialog::CeilingDialog(Workspace& workspace, Player& player, std::string bus, QWidget* parent)
    : QDialog(parent), workspace_(workspace), player_(player), bus_(std::move(bus)) {
    const Row* row = findRow(workspace_.session(), bus_);
    setWindowTitle(tr("The spectrum of %1, and a line over it")
                       .arg(row != nullptr ? QString::fromStdString(row->name) : QString()));
    setObjectName("ceiling");
    resize(900, 680);
    auto* box = new QVBoxLayout(this);
    box->addWidget(titleLabel(windowTitle(), this));
    sentence_ = new QLabel(this);
    sentence_->setObjectName("ceiling-sentence");
    sentence_->setWordWrap(true);
    sentence_->setMinimumHeight(40);
    sentence_->setAlignment(Qt::AlignTop);
    box->addWidget(sentence_);
    plot_ = new Plot(this);
    plot_->setObjectName("ceiling-plot");
    plot_->setAccessibleName(windowTitle());
    plot_->setToolTip(
        tr("Brown: the usual level of each third of an octave. Thin: the largest. Ember: your "
           "line; drag its points, double-click one to take it away. Shaded: 2 to 5 kHz, where "
           "the ear is most sensitive."));
    plot_->setupFrequencyAxis(kBottomDb, kTopDb);
    plot_->setKeySteps(1.0 / 6.0, 0.5);
    plot_->setMinimumHeight(280);
    // The ear's region, what is usual, the largest, the line.
    for (int g = 0; g < 5; ++g) plot_->addGraph();
    connect(plot_, &Plot::handleMoved, this, &CeilingDialog::movePoint);
    connect(plot_, &Plot::handleReleased, this, [this] { workspace_.endGesture(); });
    connect(plot_, &Plot::handleReset, this, &CeilingDialog::removePoint);
    box->addWidget(plot_, 3);
    auto* fields = new QHBoxLayout;
    fields->setSpacing(10);
    addField(fields, windowParameter(), &Ceiling::windowMs);
    addField(fields, averageParameter(), &Ceiling::averageMs);
    addField(fields, slopeParameter(), &Ceiling::slopeDb);
    fields->addStretch(1);
    line_ = namedButton(tr("Line over this"), "ceiling-line",
                        tr("A line a decibel over the largest that was read here: what crosses it "
                           "later has grown."),
                        this);
    connect(line_, &QPushButton::clicked, this, &CeilingDialog::drawLine);
    fields->addWidget(line_);
    point_ = namedButton(tr("Add a point"), "ceiling-point",
                         tr("Where the line’s points lie furthest apart."), this);
    connect(point_, &QPushButton::clicked, this, &CeilingDialog::addPoint);
    fields->addWidget(point_);
    none_ = namedButton(tr("No line"), "ceiling-none", tr("Takes the line away."), this);
    connect(none_, &QPushButton::clicked, this,
            [this] { workspace_.attempt([&] { return withCeiling(workspace_.session(), {}); }); });
    fields->addWidget(none_);
    box->addLayout(fields);
    table_ = quietTable({tr("Band"), tr("Over it by"), tr("Times"), tr("Of the time"),
                         tr("Furthest at"), tr("Most of it")},
                        this);
    table_->setAccessibleName(tr("What crosses the line"));
    table_->setToolTip(tr("Enter or a double click goes to where it is furthest over."));
    connect(table_, &QTableWidget::cellActivated, this, [this](int line, int) {
        player_.seek(std::max(0.0, times_[static_cast<std::size_t>(line)] - kBeforeIt));
    });
    box->addWidget(table_, 2);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close, this);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    box->addWidget(buttons);
    connect(&running_, &QFutureWatcherBase::finished, this, &CeilingDialog::finish);
    connect(&workspace_, &Workspace::opened, this, &QDialog::reject);
    connect(&workspace_, &Workspace::changed, this, [this](const SessionDiff& diff) {
        const Ceiling now = workspace_.session().ceiling.value_or(Ceiling{});
        const bool otherwise =
            now.windowMs != readBy_.windowMs || now.averageMs != readBy_.averageMs;
        if (diff.rows.empty() && !diff.structural && !otherwise) return refresh();
        refresh();
        if (!measuring()) return measure();
        again_ = abandon_ = true;
    });
    refresh();
    measure();
}

CeilingDialog::~CeilingDialog() {
    abandon_ = true;
    running_.waitForFinished();
}

void CeilingDialog::addField(QHBoxLayout* line, const Parameter& parameter,
                             double Ceiling::*value) {
    auto* field = new ParameterField(
        workspace_, parameter,
        {[this, value] { return workspace_.session().ceiling.value_or(Ceiling{}).*value; },
         [this, value](double to, bool gesture) {
             change([&](Ceiling& c) { c.*value = to; }, gesture);
         }},
        {}, this);
    field->setObjectName(QString::fromStdString("ceiling-" + parameter.id));
    line->addWidget(field);
    fields_.push_back(field);
}

void CeilingDialog::measure() {
    again_ = abandon_ = false;
    const LoopSpan span = spanHere(workspace_.session(), player_);
    const auto tell = [this](double part, const QString& what) {
        if (measuring())
            sentence_->setText(tr("%1, %2 %").arg(what).arg(static_cast<int>(100.0 * part)));
    };
    readBy_ = workspace_.session().ceiling.value_or(Ceiling{});
    running_.setFuture(
        QtConcurrent::run([session = workspace_.session(), store = &workspace_.store(), bus = bus_,
                           span, watch = watchedBy(this, abandon_, tell)] {
            stepBack();
            return outcomeOf(QString(), [&] {
                return readSpectra(session, *store, bus, span.from, span.to, watch);
            });
        }));
}

void CeilingDialog::finish() {
    if (again_) return measure();
    if (abandon_) return;
    auto found = running_.result();
    if (!found.problem.isEmpty()) {
        spectra_.reset();
        refresh();
        return sentence_->setText(found.problem);
    }
    spectra_ = std::move(found.value);
    refresh();
}

void CeilingDialog::refresh() {
    const auto& ceiling = workspace_.session().ceiling;
    for (ParameterField* field : fields_) {
        field->refresh();
        field->setEnabled(ceiling.has_value());
    }
    line_->setEnabled(spectra_.has_value());
    point_->setEnabled(ceiling && ceiling->points.size() < kMostCeilingPoints);
    none_->setEnabled(ceiling.has_value());
    CeilingCheck found;
    if (spectra_) found = checkCeiling(workspace_.session(), *spectra_);
    draw(found);
    table_->setRowCount(0);
    times_.clear();
    if (!spectra_) return;
    QStringList words;
    for (const std::string& text : ceilingText(workspace_.session(), found))
        words << QString::fromStdString(text);
    sentence_->setText(words.join(' '));
    for (const Crossing& c : found.crossings) {
        const int at = table_->rowCount();
        table_->insertRow(at);
        const Row* row = findRow(workspace_.session(), c.row);
        int column = 0;
        for (const QString& text :
             {QString::fromStdString(hertzText(c.hertz)), tr("%1 dB").arg(figure(c.overDb)),
              QString::number(c.times), tr("%1 %").arg(figure(100.0 * c.share, 0)),
              tr("%1 s").arg(figure(c.at)),
              row != nullptr ? QString::fromStdString(row->name) + ", " +
                                   tr("%1 %").arg(figure(100.0 * c.rowShare, 0))
                             : QStringLiteral("–")}) {
            putText(table_, at, column, text, {}, column > 0);
            ++column;
        }
        times_.push_back(c.at);
    }
}

void CeilingDialog::draw(const CeilingCheck& found) {
    plot_->applyLook();
    const Palette& p = colours();
    const auto vectorOf = [](const std::vector<double>& values) {
        return QVector<double>(values.begin(), values.end());
    };
    QColor ear = p.quiet;
    ear.setAlpha(36);
    plot_->graph(0)->setPen(Qt::NoPen);
    plot_->graph(0)->setBrush(ear);
    plot_->graph(0)->setData({2000.0, 5000.0}, {kTopDb, kTopDb}, true);
    plot_->graph(1)->setPen(Qt::NoPen);
    plot_->graph(1)->setData({2000.0, 5000.0}, {kBottomDb, kBottomDb}, true);
    plot_->graph(0)->setChannelFillGraph(plot_->graph(1));
    plot_->graph(2)->setPen(QPen(p.wave, 2.0));
    plot_->graph(2)->setData(vectorOf(found.hertz), vectorOf(found.usual), true);
    plot_->graph(3)->setPen(QPen(p.chalk, 1.0));
    plot_->graph(3)->setData(vectorOf(found.hertz), vectorOf(found.most), true);
    QVector<double> x, y;
    QVector<Handle> handles;
    if (const auto& ceiling = workspace_.session().ceiling) {
        x << 20.0;
        y << ceilingAt(*ceiling, 20.0);
        for (std::size_t i = 0; i < ceiling->points.size(); ++i) {
            const CeilingPoint& point = ceiling->points[i];
            x << point.hertz;
            y << point.db;
            handles << Handle{
                QString("p%1").arg(i),
                tr("%1, %2 dB")
                    .arg(QString::fromStdString(hertzText(point.hertz)), figure(point.db)),
                Handle::Kind::point,
                point.hertz,
                point.db,
                p.ember,
                false,
                true};
        }
        x << 20000.0;
        y << ceilingAt(*ceiling, 20000.0);
    }
    plot_->graph(4)->setPen(QPen(p.ember, 2.2));
    plot_->graph(4)->setData(x, y, true);
    plot_->setHandles(handles);
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void CeilingDialog::change(const std::function<void(Ceiling&)>& make, bool gesture) {
    std::optional<Ceiling> ceiling = workspace_.session().ceiling;
    if (!ceiling) return;
    make(*ceiling);
    workspace_.attempt([&] { return withCeiling(workspace_.session(), ceiling); },
                       gesture ? "ceiling" : "");
}

void CeilingDialog::movePoint(const QString& id, double hertz, double db) {
    change(
        [&](Ceiling& c) {
            const auto i = static_cast<std::size_t>(pointOf(id));
            const double low = i > 0 ? c.points[i - 1].hertz * kNextTo : kCeilingHertz.low,
                         high = i + 1 < c.points.size() ? c.points[i + 1].hertz / kNextTo
                                                        : kCeilingHertz.high;
            c.points[i] = {std::clamp(hertz, low, std::max(low, high)),
                           std::clamp(db, kBottomDb, kTopDb)};
        },
        true);
}

void CeilingDialog::removePoint(const QString& id) {
    change([&](Ceiling& c) {
        if (c.points.size() > 2) c.points.erase(c.points.begin() + pointOf(id));
    });
}

void CeilingDialog::addPoint() {
    change([](Ceiling& c) {
        std::size_t widest = 1;
        for (std::size_t i = 2; i < c.points.size(); ++i) {
            if (c.points[i].hertz / c.points[i - 1].hertz >
                c.points[widest].hertz / c.points[widest - 1].hertz)
                widest = i;
        }
        const double hertz = std::sqrt(c.points[widest].hertz * c.points[widest - 1].hertz);
        c.points.insert(c.points.begin() + static_cast<std::ptrdiff_t>(widest),
                        {hertz, ceilingAt(c, hertz)});
    });
}

void CeilingDialog::drawLine() {
    if (!spectra_) return;
    workspace_.attempt([&] {
        const Session& now = workspace_.session();
        return withCeiling(now, ceilingOver(checkCeiling(now, *spectra_),
                                            now.ceiling.value_or(Ceiling{}), kRoomDb));
    });
}

}  // namespace ember::app
