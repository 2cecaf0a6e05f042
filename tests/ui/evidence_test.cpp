// The evidence panel: what it says, accepting, declining, keyboard, and gates that strokes open.

#include "app/evidence/evidence_facts.h"
#include "app/evidence/first_pass_dialog.h"
#include "core/dsp/gate.h"
#include "tests/ui/ui_support.h"

#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QRegularExpression>

namespace ember {
namespace {

using test::eventually;
using test::Window;

QString textOf(app::MainWindow& window) {
    QString all;
    for (const QLabel* label : window.evidence().findChildren<QLabel*>()) {
        if (label->isVisibleTo(&window.evidence())) all += label->text() + "\n";
    }
    return all;
}

TEST(Evidence, SaysWhereADelayIsNotSure) {
    Session session;
    for (const auto& [id, role] : {std::pair{"kick-in", Role::kickIn},
                                   {"kick-out", Role::kickOut},
                                   {"overhead", Role::overhead},
                                   {"hat", Role::hat}}) {
        Row row;
        row.id = row.name = id;
        row.role = role;
        session.rows.push_back(row);
    }
    session = withDrums(std::move(session));
    KitMeasurement kit;
    for (const char* mic : {"kick-in", "kick-out", "overhead", "hat"}) {
        PhasePair pair;
        pair.drum = drumOfRow(session, "kick-in");
        pair.mic = mic;
        pair.reference = "kick-in";
        pair.delaySamples = 48.0;
        pair.coherence = 0.9;
        pair.polarity = 1;
        kit.phase.push_back(pair);
    }
    const auto facts = [&](const char* row) {
        return app::evidenceFacts(session, &kit, nullptr, *findRow(session, row), Column::align)
            .join("\n");
    };
    EXPECT_TRUE(facts("kick-out").contains("1.00 ms (not sure) against kick-in, coherence 0.90"));
    EXPECT_TRUE(facts("kick-in").contains("The reference of its drum."));
    EXPECT_TRUE(facts("kick-in").contains("overhead hears it 1.00 ms (not sure) later"));
    EXPECT_FALSE(facts("kick-in").contains("hat")) << "what bleeds there moves nothing";
    EXPECT_EQ(facts("overhead"), "Hears the whole kit.");
    findRow(session, "hat")->kind = RowKind::guest;
    EXPECT_EQ(facts("hat"), "A guest: heard while mixing, no part of the mix.");
    for (PhasePair& p : kit.phase) p.delaySure = true;
    EXPECT_TRUE(facts("kick-out").contains("1.00 ms against kick-in"));
    EXPECT_TRUE(facts("kick-in").contains("overhead hears it 1.00 ms later"));
}

TEST(Evidence, SaysWhatWasMeasuredAndProposes) {
    const Window window;
    ASSERT_TRUE(window.listened()) << window->listener().problem().toStdString();
    window->board().select({"snare-top", Column::gate});
    const QString text = textOf(*window);
    EXPECT_TRUE(text.contains("strokes of the Snare")) << text.toStdString();
    EXPECT_TRUE(text.contains("Gate opened by strokes")) << text.toStdString();
    EXPECT_TRUE(window->evidence()
                    .findChild<QPushButton*>("evidence-accept")
                    ->isVisibleTo(&window->evidence()));
    // Each effect with what is, what is predicted, and its unit.
    EXPECT_TRUE(text.contains("ghost notes kept")) << text.toStdString();
    EXPECT_TRUE(text.contains("100 → 100 %")) << text.toStdString();
    // One of a kind is not several.
    window->board().select({"rack-tom", Column::dynamics});
    EXPECT_FALSE(textOf(*window).contains(QRegularExpression("\\b1 [a-z]+s\\b")))
        << textOf(*window).toStdString();
    // Cells with a proposal carry its state.
    window->board().select({"snare-bottom", Column::gate});
    const std::string said = window->board().accessibleDescription().toStdString();
    EXPECT_NE(said.find("proposed"), std::string::npos) << said;
    window->board().select({"overhead", Column::gate});
    EXPECT_TRUE(textOf(*window).contains("Nothing is proposed here."));
}

TEST(Evidence, SaysWhatIsUsualInTheStyleOfTheMusic) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::gate});
    EXPECT_TRUE(textOf(*window).contains("usually"));
    EXPECT_FALSE(textOf(*window).contains("in jazz"));
    auto* menu = window->findChild<QMenu*>("style-menu");
    ASSERT_NE(menu, nullptr);
    emit menu->aboutToShow();
    ASSERT_EQ(menu->actions().size(), 7);
    EXPECT_TRUE(menu->actions().front()->isChecked());
    menu->actions().at(5)->trigger();
    EXPECT_EQ(window.session().style, Style::jazz);
    EXPECT_TRUE(textOf(*window).contains("in jazz")) << textOf(*window).toStdString();
    emit menu->aboutToShow();
    EXPECT_TRUE(menu->actions().at(5)->isChecked());
    QTest::keyClick(&window->board(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(window.session().style, Style::any) << "undone like anything else";
}

TEST(Evidence, AcceptingByKeySetsTheGateMeasuresItAndIsUndone) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::gate});
    const Session before = window.session();
    QTest::keyClick(&window->board(), Qt::Key_A);
    EXPECT_EQ(window.value("snare-top", "gate", "key-source"), 1.0);
    EXPECT_TRUE(findStage(*findRow(window.session(), "snare-top"), "gate")->on);
    EXPECT_FALSE(window.session().strokes.get().empty());
    EXPECT_TRUE(eventually(
        [&] {
            const Proposal* p = window->listener().proposalFor("snare-top", "gate");
            return p != nullptr && !p->effects.empty() && p->effects.back().measured.has_value();
        },
        120.0));
    EXPECT_TRUE(textOf(*window).contains("Accepted."));
    ASSERT_TRUE(window.settle());
    window->workspace().undo();
    EXPECT_EQ(window.session(), before);
}

TEST(Evidence, WhatIsDeclinedIsNotProposedAgainUntilUndone) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::gate});
    window->evidence().findChild<QPushButton*>("evidence-decline")->click();
    EXPECT_EQ(window->listener().proposalFor("snare-top", "gate"), nullptr);
    EXPECT_TRUE(textOf(*window).contains("Nothing is proposed here."));
    window->workspace().undo();
    EXPECT_NE(window->listener().proposalFor("snare-top", "gate"), nullptr);
}

TEST(Evidence, TheOtherSchoolProposesAnotherGate) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::gate});
    auto* school = window->evidence().findChild<QComboBox*>("evidence-school");
    school->setCurrentIndex(1);
    emit school->activated(1);
    EXPECT_TRUE(textOf(*window).contains("Gate opened by level"));
}

TEST(Evidence, AGateSetToStrokesByHandFindsThemInTheSession) {
    const Window window;
    ASSERT_TRUE(window.listened());
    app::StageEditor& editor = window.bench("snare-top", Column::gate);
    window->workspace().setValue("snare-top", "gate", "key-source", 1.0);
    EXPECT_FALSE(window.session().strokes.get().empty());
    ASSERT_TRUE(window.settle());
    QString said;
    for (const QLabel* label : editor.findChildren<QLabel*>()) said += label->text();
    EXPECT_TRUE(said.contains("strokes open it, and nothing else does")) << said.toStdString();
}

TEST(Evidence, ATargetIsSetAndTheLevelsFollowIt) {
    const Window window;
    ASSERT_TRUE(window.listened());
    // What a person decided is not proposed over: let one seat be untouched again.
    const std::string row = "kick-in";
    Session undecided = window.session();
    requireStage(requireRow(undecided, row), "seat") = makeStage("seat");
    window->workspace().edit(std::move(undecided));
    const auto open = window->listener().open("seat");
    ASSERT_EQ(open.size(), 1U);
    const double before = open.front()->moves.at(0).value;
    window->board().select({row, Column::seat});
    auto* target = window->evidence().findChild<QDoubleSpinBox*>("evidence-target");
    ASSERT_TRUE(target->isVisibleTo(&window->evidence()));
    EXPECT_TRUE(target->text().startsWith("−")) << target->text().toStdString();
    const double asked = target->value();
    target->findChild<QLineEdit*>()->setText(target->text().replace("−", "-"));
    target->interpretText();
    EXPECT_DOUBLE_EQ(target->value(), asked) << "either minus is read";
    target->setValue(target->value() - 4.0);
    ASSERT_EQ(window.session().targets.size(), 1U);
    const Proposal* after = window->listener().proposalOf(row, "seat");
    ASSERT_NE(after, nullptr);
    EXPECT_NEAR(after->moves.at(0).value, before - 4.0, 0.51);
    EXPECT_TRUE(textOf(*window).contains("Target:"));
    window->workspace().undo();
    EXPECT_TRUE(window.session().targets.empty());
}

TEST(Evidence, ANoteIsWantedCheckedAndTunedTo) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::repair});
    auto* target = window->evidence().findChild<QDoubleSpinBox*>("evidence-target");
    ASSERT_TRUE(target->isVisibleTo(&window->evidence()));
    double note = 0.0;
    const std::string drum = drumOfRow(window.session(), "snare-top");
    for (const DrumTone& t : window->listener().measured()->tone)
        note = t.drum == drum ? t.fundamental : note;
    ASSERT_GT(note, 20.0);
    target->setValue(std::round(1.06 * note));
    EXPECT_NEAR(noteTarget(window.session(), drum), std::round(1.06 * note), 1e-9);
    EXPECT_TRUE(textOf(*window).contains("semitones under"));
    const auto open = window->listener().open("repair");
    const auto tune = std::find_if(open.begin(), open.end(),
                                   [](const Proposal* p) { return p->id == "snare-top.tune"; });
    ASSERT_NE(tune, open.end());
    window->listener().accept(**tune);
    ASSERT_NE(findStage(*findRow(window.session(), "snare-top"), "stroke"), nullptr);
    // What it did is measured from the recording.
    const auto measured = [&]() -> std::optional<double> {
        const Proposal* p = window->listener().proposalFor("snare-top", "stroke");
        return p == nullptr ? std::nullopt : p->effects.front().measured;
    };
    ASSERT_TRUE(eventually([&] { return measured().has_value(); }, 60.0));
    EXPECT_NEAR(*measured(), 1.06 * note, 0.02 * note);
    target->setValue(target->minimum());
    EXPECT_EQ(noteTarget(window.session(), drum), 0.0);
}

TEST(Evidence, SchoolsOfEqualisingAndPressingChangeWhatIsProposed) {
    const Window window;
    ASSERT_TRUE(window.listened());
    auto* school = window->evidence().findChild<QComboBox*>("evidence-school");
    window->board().select({"hat", Column::repair});
    ASSERT_EQ(school->count(), 2);
    school->setCurrentIndex(1);
    emit school->activated(1);
    EXPECT_EQ(window.session().ways.eq, EqSchool::later);
    for (const Proposal* p : window->listener().open("repair")) {
        if (!p->id.ends_with(".repair") || p->id.starts_with("overhead")) continue;
        EXPECT_EQ(p->behind, "compressor") << p->id;
    }
    window->board().select({"snare-top", Column::dynamics});
    ASSERT_EQ(school->count(), 3);
    school->setCurrentIndex(2);
    emit school->activated(2);
    EXPECT_EQ(window.session().ways.dynamics, DynamicsSchool::pair);
    EXPECT_EQ(window.session().ways.eq, EqSchool::later) << "the other choice stays";
    EXPECT_EQ(school->currentIndex(), 2);
}

TEST(Evidence, SentencesAreNeverLaidOverOneAnother) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->resize(1280, 640);
    for (const Row& row : window.session().rows) {
        if (row.kind != RowKind::element) continue;
        for (const Column column :
             {Column::align, Column::gate, Column::repair, Column::dynamics, Column::seat}) {
            window->board().select({row.id, column});
            QApplication::processEvents();
            // Whatever is shown stands under what is shown before it, whole.
            std::vector<QRect> places;
            for (const QLabel* label : window->evidence().findChildren<QLabel*>()) {
                if (!label->isVisibleTo(&window->evidence()) || label->text().isEmpty()) continue;
                if (label->wordWrap()) {
                    EXPECT_GE(label->height(), label->heightForWidth(label->width()))
                        << row.id << ": " << label->text().toStdString();
                }
                const QRect place(label->mapTo(&window->evidence(), QPoint()), label->size());
                for (const QRect& other : places)
                    EXPECT_FALSE(other.intersects(place))
                        << row.id << ": " << label->text().toStdString();
                places.push_back(place);
            }
        }
    }
}

TEST(Evidence, AStepIsAcceptedForTheWholeKitAtOnce) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->board().select({"snare-top", Column::gate});
    auto* all = window->evidence().findChild<QPushButton*>("evidence-accept-all");
    ASSERT_TRUE(all->isVisibleTo(&window->evidence()));
    const Session before = window.session();
    all->click();
    EXPECT_TRUE(window->listener().open("gate").empty());
    EXPECT_FALSE(all->isVisibleTo(&window->evidence()));
    window->workspace().undo();
    EXPECT_EQ(window.session(), before) << "one step takes it all back";
}

TEST(Evidence, ListeningCanBeStoppedAndBegunAgain) {
    const Window window;
    window->listener().cancel();
    ASSERT_TRUE(eventually([&] { return !window->listener().listening(); }, 60.0));
    if (window->listener().measured() == nullptr) {
        EXPECT_FALSE(window->listener().problem().isEmpty());
        window->listener().start();
    }
    EXPECT_TRUE(window.listened());
}

TEST(FirstPass, ProposesEverythingAndAcceptsWhatIsTickedAsOneEdit) {
    const Window window;
    ASSERT_TRUE(window.listened());
    QTest::keyClick(&*window, Qt::Key_P);
    auto* dialog = window->findChild<app::FirstPassDialog*>("first-pass");
    ASSERT_NE(dialog, nullptr);
    ASSERT_TRUE(eventually([&] { return dialog->chosen() > 6; }, 60.0));
    const int all = dialog->chosen();
    const Session before = window.session();
    // Without one step; then by drum, where it is still unticked.
    dialog->tree().topLevelItem(0)->setCheckState(0, Qt::Unchecked);
    const int less = dialog->chosen();
    EXPECT_LT(less, all);
    EXPECT_GT(less, 0);
    dialog->arrange(app::FirstPassDialog::Order::byDrum);
    EXPECT_EQ(dialog->chosen(), less);
    dialog->acceptChosen();
    EXPECT_NE(window.session(), before);
    EXPECT_TRUE(eventually([&] { return dialog->chosen() == 0; }, 60.0))
        << "what is accepted leaves the list; the rest stays, unticked";
    EXPECT_GT(dialog->tree().topLevelItemCount(), 0);
    window->workspace().undo();
    EXPECT_EQ(window.session(), before) << "one edit";
    EXPECT_TRUE(eventually([&] { return dialog->chosen() == less; }, 60.0));
}

}  // namespace
}  // namespace ember
