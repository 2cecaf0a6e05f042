// What is proposed for the buses: asked on the Flow page, gone through in the first pass, measured,
// taken back.

#include "app/evidence/first_pass_dialog.h"
#include "tests/ui/ui_support.h"

#include <QComboBox>
#include <QPushButton>

namespace ember {
namespace {

using test::eventually;
using test::Window;

TEST(BusAdviceInTheWindow, IsAskedOnTheFlowPageAcceptedMeasuredAndTakenBack) {
    const Window window;
    ASSERT_TRUE(window.listened());
    window->showFlow();
    auto* school = window->findChild<QComboBox*>("flow-school");
    school->setCurrentIndex(1);
    emit school->activated(1);
    EXPECT_EQ(window.session().ways.bus, BusSchool::parallels);
    window->findChild<QPushButton*>("flow-propose")->click();
    auto* dialog = window->findChild<app::FirstPassDialog*>();
    ASSERT_NE(dialog, nullptr);
    app::Listener& listener = window->listener();
    ASSERT_TRUE(eventually([&] { return !listener.open("bus").empty(); }, 60));
    bool listed = false;
    for (int i = 0; i < dialog->tree().topLevelItemCount(); ++i)
        listed = listed || dialog->tree().topLevelItem(i)->text(0) == "Bus";
    EXPECT_TRUE(listed);
    const std::size_t proposed = listener.open("bus").size();
    const Session before = window.session();
    listener.acceptAll("bus");
    EXPECT_TRUE(listener.open("bus").empty());
    EXPECT_NE(findRow(window.session(), "press"), nullptr);
    EXPECT_NE(findRow(window.session(), "dirt"), nullptr);
    ASSERT_TRUE(eventually(
        [&] {
            const Proposal* p = listener.proposalOf("drum-bus", "bus");
            return p != nullptr && !p->effects.empty() && p->effects.front().measured.has_value();
        },
        60));
    const Effect& effect = listener.proposalOf("drum-bus", "bus")->effects.front();
    EXPECT_NEAR(*effect.measured, *effect.predicted, 1.0) << effect.what;
    window->workspace().undo();
    EXPECT_EQ(window.session().rows, before.rows);
    EXPECT_EQ(listener.open("bus").size(), proposed) << "one edit, one step back";
    // One that is declined does not come again.
    listener.decline(*listener.open("bus").front());
    EXPECT_EQ(listener.open("bus").size(), proposed - 1);
    dialog->close();
}

}  // namespace
}  // namespace ember
