// SPDX-License-Identifier: GPL-3.0-or-later
#include "tests/support/monkey.h"

#include <QDir>

#include <algorithm>

using namespace bindrel;
using namespace bindrel::test;

namespace {

QStringList& warnings()
{
    static QStringList all;
    return all;
}

/// What Qt complains of is a mistake of ours, but for what the platform without a screen cannot do.
void collect(QtMsgType type, const QMessageLogContext&, const QString& text)
{
    if (type == QtDebugMsg || type == QtInfoMsg || text.startsWith("This plugin does not support"))
        return;
    warnings() << text;
}

/// What keeps the window from being smaller, for whoever mends it.
QString widest(QWidget* window)
{
    QStringList out;
    for (const QWidget* child : window->findChildren<QWidget*>())
        if (child->minimumSizeHint().width() > 500 || child->minimumWidth() > 500)
            out << QString("%1 %2 \"%3\"")
                       .arg(child->metaObject()->className())
                       .arg(std::max(child->minimumSizeHint().width(), child->minimumWidth()))
                       .arg(child->property("text").toString().left(60));
    return out.join("; ");
}

} // namespace

/// Random but plausible events on the real window: nothing crashes, nothing is lost, and what is seen agrees with what
/// is saved. BINDREL_LONG multiplies the events, BINDREL_SEED draws others, BINDREL_MONKEY_LOG tells each.
class MonkeyTest : public WindowFixture {
    Q_OBJECT

private Q_SLOTS:
    void initTestCase()
    {
        prepare();
        QApplication::setQuitOnLastWindowClosed(false);
        // Compilers take seconds; what they find is tested elsewhere.
        qputenv("PATH", home_.path().toUtf8());
    }
    void init() { openWindow(); }
    void cleanup()
    {
        Background::patience().reset();
        closeWindow();
    }

    void randomEventsDoNoHarm_data()
    {
        QTest::addColumn<QString>("plan");
        for (const char* plan : {"sluice-node-c-tangled", "sluice-node-c-start", "pump-hall-a-done", "rain-post-b-done",
                                 "ditch-meter-d-done", ""})
            QTest::newRow(*plan ? plan : "bare chip") << plan;
    }
    void randomEventsDoNoHarm()
    {
        QFETCH(QString, plan);
        // A process of its own for each, so that the hours of a long run can be shared out: names of rows choose.
        const int rounds = std::max(1, qEnvironmentVariableIntValue("BINDREL_LONG"));
#ifdef __SANITIZE_ADDRESS__
        constexpr int kEvents = 600; // a tenth of the pace
#else
        constexpr int kEvents = 2300;
#endif
        const QString folder = QDir(dir_->path()).canonicalPath();
        QDir::setCurrent(folder);
        for (int round = 0; round < rounds; ++round) {
            if (plan.isEmpty()) {
                const std::vector<std::shared_ptr<const Device>> devices = library().devices();
                QVERIFY(w_->document().newForDevice(devices[size_t(round) % devices.size()]->name));
                w_->showStation(Station::Wiring);
            } else {
                const QString path = folder + "/" + plan + ".bindrel";
                QFile::remove(path);
                QVERIFY(QFile::copy(QString::fromStdString(demoPath(plan.toStdString())), path));
                QVERIFY(w_->openPlan(path));
            }
            // Answers that come at once, as on a fast machine, such that always come later, and both.
            if (const unsigned hurry = seeded(unsigned(round) + unsigned(plan.size()) / 2) % 3; hurry < 2)
                Background::patience() = std::chrono::seconds(hurry);
            else
                Background::patience().reset();
            warnings().clear();
            const QtMessageHandler before = qInstallMessageHandler(collect);
            Monkey monkey(*w_, folder, seeded(unsigned(round) * 31 + 7 + unsigned(plan.size())));
            monkey.run(kEvents);
            qInstallMessageHandler(before);
            QVERIFY2(warnings().isEmpty(), qPrintable(warnings().mid(0, 5).join("; ")));
            QVERIFY(w_->document().isOpen());
            QVERIFY2(w_->minimumSizeHint().width() <= 1024, qPrintable(QString("the window has become %1 wide: %2")
                                                                           .arg(w_->minimumSizeHint().width())
                                                                           .arg(widest(w_.get()))));

            // What the window counts is what the command line counts of the saved plan.
            const std::string last = monkey.text();
            const std::string saved = (folder + "/saved.bindrel").toStdString();
            QVERIFY(writeFileAtomically(saved, last));
            const Expected<LoadedPlan> read = loadPlan(saved, w_->document().library());
            QVERIFY2(read.ok(), read ? "" : read.problem().text().c_str());
            const auto again = computeSnapshot(*read);
            QCOMPARE(again->count(Finding::Severity::Error), now().count(Finding::Severity::Error));
            QCOMPARE(again->count(Finding::Severity::Caution), now().count(Finding::Severity::Caution));
            QCOMPARE(again->bindings.count(BoundNeed::State::Open), now().bindings.count(BoundNeed::State::Open));
            QCOMPARE(again->bindings.count(BoundNeed::State::Contested),
                     now().bindings.count(BoundNeed::State::Contested));

            // Nothing that was done cannot be undone, nor done again.
            while (w_->document().canRedo())
                w_->document().redo();
            const std::string furthest = monkey.text();
            while (w_->document().canUndo())
                w_->document().undo();
            QCOMPARE(QString::fromStdString(monkey.text()), QString::fromStdString(monkey.first()));
            while (w_->document().canRedo())
                w_->document().redo();
            QCOMPARE(QString::fromStdString(monkey.text()), QString::fromStdString(furthest));
            w_->document().clearJournal();
        }
    }
};

BINDREL_TEST(MonkeyTest)
#include "monkey_test.moc"
