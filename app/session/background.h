// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "core/base/say.h"

#include <QObject>
#include <QString>
#include <QThreadPool>

#include <atomic>
#include <chrono>
#include <functional>
#include <future>
#include <memory>
#include <mutex>
#include <optional>
#include <utility>

namespace bindrel {

/// Runs one search at a time beside the interface. What is done within a frame is delivered at once, so that short
/// searches feel like none; longer ones say what they are and can be stopped. A new search stops the one before it. The
/// result is delivered in the interface's thread, and never after cancel() or after this object is gone. It belongs to
/// a widget, so that the window can find it.
class Background : public QObject {
    Q_OBJECT
public:
    using Stopped = std::function<bool()>;
    using Run = std::shared_ptr<std::atomic_bool>; ///< tells one run from another
    using QObject::QObject;
    ~Background() override
    {
        cancel();
        // The work may still look at what its owner lent it.
        pool_.waitForDone();
    }

    /// `work` is called in another thread and asks now and then whether it is to stop. `atOnce`: for how long the
    /// interface may wait for it.
    template <typename Result>
    Run run(const QString& what, std::function<Result(const Stopped&)> work, std::function<void(Result)> done,
            std::chrono::milliseconds atOnce = std::chrono::milliseconds(12))
    {
        cancel();
        auto stop = stop_ = std::make_shared<std::atomic_bool>(false);
        auto promise = std::make_shared<std::promise<Result>>();
        auto waiting = std::make_shared<std::future<Result>>(promise->get_future());
        const auto deliver = [this, stop, waiting, done = std::move(done)] {
            if (*stop || stop_ != stop)
                return;
            stop_.reset();
            Q_EMIT busyChanged(QString());
            // A search that throws is a mistake of the program; the work of the person must outlive it.
            try {
                done(waiting->get());
            } catch (const std::exception& error) {
                Q_EMIT failed(QString(say("Internal error (%1). Nothing changed.")).arg(error.what()));
            }
        };
        pool_.start([this, stop, promise, work = std::move(work), deliver] {
            try {
                promise->set_value(work([stop] { return stop->load(); }));
            } catch (...) {
                promise->set_exception(std::current_exception());
            }
            QMetaObject::invokeMethod(this, deliver, Qt::QueuedConnection);
        });
        if (waiting->wait_for(patience().value_or(atOnce)) == std::future_status::ready)
            deliver();
        else
            Q_EMIT busyChanged(what);
        return stop;
    }

    /// The same for work that tells what it has so far; `show` is called in the interface's thread, never after the run
    /// is over. Who tells faster than can be shown is shown as it was last.
    template <typename Result, typename Progress>
    Run runTelling(const QString& what,
                   std::function<Result(const Stopped&, const std::function<void(const Progress&)>&)> work,
                   std::function<void(const Progress&)> show, std::function<void(Result)> done)
    {
        struct Latest {
            std::mutex mutex;
            std::optional<Progress> told; ///< and not shown yet
        };
        auto run = std::make_shared<Run>();
        const std::function<void(const Progress&)> tell =
            [this, run, show = std::move(show), latest = std::make_shared<Latest>()](const Progress& progress) {
                const std::lock_guard lock(latest->mutex);
                const bool waits = latest->told.has_value();
                latest->told = progress;
                if (waits)
                    return;
                QMetaObject::invokeMethod(
                    this,
                    [this, run, show, latest] {
                        std::unique_lock taking(latest->mutex);
                        const std::optional<Progress> told = std::exchange(latest->told, std::nullopt);
                        taking.unlock();
                        if (told && stop_ && *run == stop_)
                            show(*told);
                    },
                    Qt::QueuedConnection);
            };
        *run = this->run<Result>(
            what, [work = std::move(work), tell](const Stopped& stopped) { return work(stopped, tell); },
            std::move(done));
        return *run;
    }

    /// For tests: how long every run is waited for instead. Nothing may depend on whether an answer comes at once.
    static std::optional<std::chrono::milliseconds>& patience()
    {
        static std::optional<std::chrono::milliseconds> instead;
        return instead;
    }

    bool busy() const { return stop_ != nullptr; }
    bool runs(const Run& run) const { return stop_ != nullptr && stop_ == run; }
    void cancel()
    {
        if (!stop_)
            return;
        *stop_ = true;
        stop_.reset();
        Q_EMIT busyChanged(QString());
    }

    /// Stops what runs, and waits for it; false when it has not ended by then.
    bool endWithin(std::chrono::milliseconds patience)
    {
        cancel();
        return pool_.waitForDone(int(patience.count()));
    }

Q_SIGNALS:
    void busyChanged(const QString& what); ///< empty: nothing runs
    void failed(const QString& message);

private:
    QThreadPool pool_;
    Run stop_;
};

} // namespace bindrel
