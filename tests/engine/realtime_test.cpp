// What the callback must not do, watched by the system itself: in a process of its own that the
// kernel ends at the first system call, and whose page faults are counted.

// The sanitizers' own calls would end it: they are built without.
#if !defined(EMBER_SANITIZED)

#include "core/dsp/equaliser.h"
#include "core/engine/engine.h"
#include "core/session/routing.h"
#include "demo/mix.h"
#include "tests/support/support.h"

#include <linux/seccomp.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

namespace ember {
namespace {

constexpr int kFaulted = 3, kNoFilter = 4;

// How a child ends that does `before`, and then `watched` without the right to ask the system for
// anything but its end.
template <typename Before, typename Watched>
int watch(Before before, Watched watched) {
    const pid_t child = fork();
    if (child == 0) {
        before();
        rusage was{}, is{};
        getrusage(RUSAGE_SELF, &was);
        watched();
        getrusage(RUSAGE_SELF, &is);
        const bool faulted = is.ru_minflt + is.ru_majflt > was.ru_minflt + was.ru_majflt;
        if (prctl(PR_SET_SECCOMP, SECCOMP_MODE_STRICT) != 0) _exit(kNoFilter);
        watched();
        syscall(SYS_exit, faulted ? kFaulted : 0);
    }
    int status = 0;
    waitpid(child, &status, 0);
    return status;
}

TEST(RealTime, TheCallbackAsksTheSystemForNothingAndWaitsForNoPage) {
    Engine engine;
    const Session s = withSend(demo::demoMix(test::shortSession()), "snare-top", {"tom-bus", true});
    auto compiled = compile(s, test::sharedStore());
    Plan* plan = compiled.get();
    const int snare = plan->rowIndex("snare-top");
    engine.setPlan(std::move(compiled), 48000.0);
    engine.setLoop(true, 0, 96000);
    engine.play();
    std::vector<float> l(256), r(256);
    const auto play = [&](int callbacks) {
        for (int n = 0; n < callbacks; ++n) engine.process(l.data(), r.data(), 256);
    };
    const auto turn = [&](double by, bool mute) {
        for (int i = 0; i < kEqBands * kEqFields; ++i)
            engine.move({Move::Kind::value, snare, 2, i,
                         processorType("eq").table[static_cast<std::size_t>(i)].standard + by});
        engine.move({Move::Kind::mute, snare, 0, 0, mute ? 1.0 : 0.0});
        engine.move({Move::Kind::solo, plan->rowIndex("kick-in"), 0, 0, mute ? 1.0 : 0.0});
        engine.move({Move::Kind::sendLevel, snare, 0, 0, -10.0 * by});
    };
    const int status = watch(
        [&] {
            // Once through all of it: after a fork every page is met anew.
            plan->prefetch(0, 96000);
            turn(0.1, true);
            play(500);
            turn(0.2, false);
            play(500);
            MeterFrame frame;
            while (engine.poll(frame)) continue;
            turn(0.3, true);
        },
        [&] { play(500); });
    ASSERT_TRUE(WIFEXITED(status))
        << "it asked the system for something: signal " << WTERMSIG(status);
    ASSERT_NE(WEXITSTATUS(status), kNoFilter) << "the system has no filter to watch it with";
    EXPECT_EQ(WEXITSTATUS(status), 0) << "it waited for a page of memory";
}

TEST(RealTime, TheWatchSeesACallAndAPage) {
    const auto nothing = [] {};
    EXPECT_TRUE(WIFSIGNALED(watch(nothing, [] { (void)getppid(); })));
    const int status = watch(nothing, [] {
        // A megabyte that nobody has touched, on the stack.
        volatile char far[1 << 20];
        for (std::size_t at = 0; at < sizeof far; at += 1024) far[at] = 1;
    });
    ASSERT_TRUE(WIFEXITED(status));
    EXPECT_EQ(WEXITSTATUS(status), kFaulted);
}

}  // namespace
}  // namespace ember

#endif
