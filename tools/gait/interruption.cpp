#include "interruption.hpp"

#include "files/unfinished.hpp"

#include <csignal>
#include <functional>
#include <mutex>
#include <system_error>
#include <thread>
#include <utility>

namespace gait::tool {
namespace {

std::mutex guard;
std::function<void()> end_instead; ///< under `guard`

sigset_t interruptions() {
    sigset_t all;
    sigemptyset(&all);
    for (const int number : {SIGINT, SIGTERM, SIGHUP}) {
        struct sigaction present {};
        // Whoever ran us may have them ignored, as nohup does.
        if (sigaction(number, nullptr, &present) == 0 && present.sa_handler != SIG_IGN) { sigaddset(&all, number); }
    }
    return all;
}

} // namespace

void clean_up_when_interrupted() {
    const sigset_t awaited = interruptions();
    pthread_sigmask(SIG_BLOCK, &awaited, nullptr);
    try {
        std::thread([awaited] {
            int number = 0;
            for (;;) {
                while (sigwait(&awaited, &number) != 0) {}
                std::function<void()> end;
                {
                    const std::lock_guard lock(guard);
                    end = std::exchange(end_instead, nullptr);
                }
                if (!end) { break; }
                end();
            }
            detail::Unfinished::remove_all();
            std::signal(number, SIG_DFL);
            pthread_sigmask(SIG_UNBLOCK, &awaited, nullptr);
            std::raise(number);
        }).detach();
    } catch (const std::system_error&) {
        // Without a thread they end the program at once.
        pthread_sigmask(SIG_UNBLOCK, &awaited, nullptr);
    }
}

void end_when_interrupted(std::function<void()> end) {
    const std::lock_guard lock(guard);
    end_instead = std::move(end);
}

} // namespace gait::tool
