#include "app/bench/eq_tools.h"

#include "core/base/error.h"
#include "core/measure/kit/kit_mics.h"

#include <QHBoxLayout>
#include <QMenu>
#include <QtConcurrent/QtConcurrentRun>

#include <algorithm>

namespace ember::app {
namespace {

constexpr double kSweepDb = 12.0, kSweepQ = 8.0;

// Of everything a row recorded, all its channels.
Spectrum spectrumOf(const Row& row, AudioStore& store, int rate, const std::atomic<bool>& stop) {
    SpectrumMeter meter(rate);
    constexpr std::size_t kPart = 1 << 18;
    for (const Source& source : row.sources) {
        const auto clip = store.open(source.file, rate);
        const auto x = clip->channel(std::min(source.channel, clip->channels() - 1));
        for (std::size_t at = 0; at < x.size() && !stop; at += kPart)
            meter.add(x.subspan(at, std::min(kPart, x.size() - at)));
    }
    return meter.result();
}

}  // namespace

EqFields eqBell(double frequency, double gainDb, double q) {
    return {{EqField::on, 1.0},
            {EqField::shape, static_cast<double>(EqShape::bell)},
            {EqField::frequency, std::clamp(frequency, 20.0, 20000.0)},
            {EqField::gain, gainDb},
            {EqField::q, q}};
}

Session withEqBand(Session session, const std::string& row, const std::string& stage, int band,
                   const EqFields& fields) {
    Stage& s = requireStage(requireRow(session, row), stage);
    const ParameterTable table = processorType(s.type).table;
    for (const auto& [field, v] : fields) {
        const auto index = static_cast<std::size_t>(eqIndex(band, field));
        s.values[index] = std::clamp(v, table[index].minimum, table[index].maximum);
    }
    s.on = true;
    s.mark = Mark::decided;
    return session;
}

EqTools::EqTools(Bench bench, std::string row, std::string stage, QWidget* parent)
    : QWidget(parent), bench_(bench), row_(std::move(row)), stage_(std::move(stage)) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(4);
    sweep_ = new QPushButton(tr("Sweep"), this);
    sweep_->setObjectName("eq-sweep");
    sweep_->setCheckable(true);
    sweep_->setToolTip(
        tr("Makes the chosen band a narrow boost: drag it over the spectrum and listen. The marks "
           "are what was measured of this drum. Again: the band as it was."));
    connect(sweep_, &QPushButton::clicked, this, &EqTools::sweep);
    cut_ = new QPushButton(tr("Cut here"), this);
    cut_->setObjectName("eq-cut");
    cut_->setToolTip(
        tr("Turns the chosen band into a cut at its place, as wide and as deep as what rings or "
           "stands out there."));
    connect(cut_, &QPushButton::clicked, this, &EqTools::cutHere);
    match_ = new QToolButton(this);
    match_->setObjectName("eq-match");
    match_->setText(tr("Match"));
    match_->setPopupMode(QToolButton::InstantPopup);
    match_->setMenu(new QMenu(match_));
    match_->setToolTip(
        tr("Bells in free bands that bring this row’s spectrum near another’s: its shape, not its "
           "level; no more than 6 dB."));
    connect(match_->menu(), &QMenu::aboutToShow, this, &EqTools::fillMatch);
    connect(&matching_, &QFutureWatcher<Match>::finished, this, &EqTools::matched);
    for (QWidget* w : std::initializer_list<QWidget*>{sweep_, cut_, match_}) line->addWidget(w);
}

EqTools::~EqTools() {
    abandon_ = true;
    matching_.waitForFinished();
}

const Stage* EqTools::stage() const {
    const Row* row = findRow(bench_.workspace.session(), row_);
    return row != nullptr ? findStage(*row, stage_) : nullptr;
}

void EqTools::follow(int band, const Spectrum& spectrum) {
    band_ = band;
    spectrum_ = spectrum;
    // Undone, or switched off by hand: nothing sweeps any more.
    const Stage* s = stage();
    if (sweeping_ >= 0 && (s == nullptr || !eqBand(s->values, sweeping_).on)) sweeping_ = -1;
    sweep_->setChecked(sweeping_ >= 0);
}

void EqTools::sweep(bool on) {
    const Stage* s = stage();
    if (s == nullptr) return;
    Workspace& workspace = bench_.workspace;
    if (!on) {
        if (sweeping_ < 0) return;
        const int band = std::exchange(sweeping_, -1);
        workspace.edit(withEqBand(workspace.session(), row_, stage_, band, swept_));
        return;
    }
    // A band that is in use keeps its place; else one that is free sweeps.
    const int free = freeEqBand(s->values);
    const int band = eqBand(s->values, band_).on && free >= 0 ? free : band_;
    const EqBand was = eqBand(s->values, band);
    sweeping_ = band;
    swept_ = {{EqField::on, was.on ? 1.0 : 0.0},
              {EqField::shape, static_cast<double>(was.shape)},
              {EqField::frequency, was.frequency},
              {EqField::gain, was.gainDb},
              {EqField::q, was.q}};
    workspace.edit(withEqBand(workspace.session(), row_, stage_, band,
                              eqBell(was.frequency, kSweepDb, kSweepQ)));
    emit bandTaken(band, true);
}

void EqTools::cutHere() {
    const Stage* s = stage();
    if (s == nullptr) return;
    const auto measured = bench_.listener.measured();
    Workspace& workspace = bench_.workspace;
    const std::string drum = drumOfRow(workspace.session(), row_);
    std::vector<Ring> rings;
    for (const DrumTone& tone : measured != nullptr ? measured->tone : std::vector<DrumTone>{}) {
        if (tone.drum == drum) rings = tone.rings;
    }
    const BandFit cut = cutAt(spectrum_, rings, eqBand(s->values, band_).frequency);
    sweeping_ = -1;
    workspace.edit(withEqBand(workspace.session(), row_, stage_, band_,
                              eqBell(cut.frequency, cut.gainDb, cut.q)));
    sweep_->setChecked(false);
}

void EqTools::fillMatch() {
    QMenu* menu = match_->menu();
    menu->clear();
    for (const Row& other : bench_.workspace.session().rows) {
        if (other.id == row_ || other.sources.empty()) continue;
        connect(menu->addAction(QString::fromStdString(other.name)), &QAction::triggered, this,
                [this, id = other.id] { matchTo(id); });
    }
}

void EqTools::matchTo(const std::string& id) {
    const Session& session = bench_.workspace.session();
    const Row *own = findRow(session, row_), *other = findRow(session, id);
    if (own == nullptr || other == nullptr || own->sources.empty() || matching_.isRunning()) return;
    match_->setEnabled(false);
    matching_.setFuture(
        QtConcurrent::run([this, own = *own, other = *other, rate = session.sampleRate,
                           store = &bench_.workspace.store()] {
            Match match;
            try {
                match.bands = matchBands(spectrumOf(own, *store, rate, abandon_),
                                         spectrumOf(other, *store, rate, abandon_));
            } catch (const std::exception& e) {
                match.failure = QString::fromUtf8(e.what());
            }
            return match;
        }));
}

void EqTools::matched() {
    match_->setEnabled(true);
    const Match match = matching_.result();
    if (abandon_ || stage() == nullptr) return;
    if (!match.failure.isEmpty()) {
        emit bench_.workspace.refused(match.failure);
        return;
    }
    Session next = bench_.workspace.session();
    std::size_t used = 0;
    for (const BandFit& band : match.bands) {
        const int free = freeEqBand(requireStage(requireRow(next, row_), stage_).values);
        if (free < 0) break;
        next = withEqBand(std::move(next), row_, stage_, free,
                          eqBell(band.frequency, band.gainDb, band.q));
        ++used;
    }
    if (used == 0) {
        emit bench_.workspace.refused(match.bands.empty()
                                          ? tr("The two already have the same shape within 1 dB.")
                                          : tr("All sixteen bands are in use; remove one first."));
        return;
    }
    bench_.workspace.edit(std::move(next));
}

}  // namespace ember::app
