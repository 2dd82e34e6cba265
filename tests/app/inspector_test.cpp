// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/frame/inspector_text.h"
#include "app/theme/theme.h"
#include "core/plan/pin_property.h"
#include "core/plan/stored_settings.h"
#include "tests/support/fixtures.h"

#include <QApplication>
#include <QRegularExpression>
#include <QTextDocument>

using namespace bindrel;
using namespace bindrel::test;

/// What the inspector says, as a person reads it, and that its links lead somewhere.
class InspectorTest : public QObject {
    Q_OBJECT

    static QString plain(const QString& html)
    {
        QTextDocument document;
        document.setHtml(html);
        return document.toPlainText().replace(QChar(0x2009), ' ').replace('\n', ' ');
    }

    static QStringList links(const QString& html)
    {
        static const QRegularExpression href("href='([^']+)'");
        QStringList out;
        auto it = href.globalMatch(html);
        while (it.hasNext())
            out << it.next().captured(1);
        return out;
    }

    static bool leadsSomewhere(const Snapshot& s, const QString& link)
    {
        const QString kind = link.section(':', 0, 0);
        const std::string id = link.section(':', 1).toStdString();
        if (kind == "clock")
            return s.device->findClock(id) >= 0;
        if (kind == "need" || kind == "signal" || kind == "instance")
            return s.plan.need(link.section(':', 1, 1).toStdString()) != nullptr;
        if (kind == "pad" || kind == "net")
            return s.device->findPad(id) >= 0;
        if (kind == "prop")
            return s.plan.need(link.section(':', 1, 1).toStdString()) &&
                   findPinProperty(link.section(':', 3).toStdString());
        if (kind == "stored")
            return findStored(*s.device, id) != nullptr;
        if (kind == "keep")
            return link.section(':', 2).isEmpty() ||
                   storedCode(*s.device, link.section(':', 1, 1).toStdString(), link.section(':', 2).toStdString())
                       .ok();
        if (kind == "mode" || kind == "enter")
            return s.device->findMode(id) >= 0;
        return kind == "hold" || kind == "option" || kind == "set";
    }

private Q_SLOTS:
    /// What the form of goals does not show: how numbers are calculated, what is set by hand, what is shared.
    void aNeedShowsWhatItsFormDoesNot()
    {
        const auto s = run(demo());
        const QString text = plain(needText(*s, needIndex(s->plan, "gate-bridge"), "", {}));
        QVERIFY2(text.contains("CALCULATION") && text.contains("3125") && !text.contains("SET BY HAND"),
                 qPrintable(text));
        const auto byHand = run(with(demo(), SetOverride{"uplink", "CTL.STOP", "1"}));
        const QString uplink = plain(needText(*byHand, needIndex(s->plan, "uplink"), "", {}));
        QVERIFY2(uplink.contains("SET BY HAND") && uplink.contains("CTL.STOP") && uplink.contains("goals ask for one"),
                 qPrintable(uplink));
    }

    void clocksAreExplained()
    {
        const auto s = run(demo());
        const QString text = plain(clockText(*s, s->device->findClock("PLLA.VCO")));
        QVERIFY2(text.contains("300 MHz") && text.contains("420 MHz") && text.contains("200 MHz") &&
                     text.contains("tuning range"),
                 qPrintable(text));
        QVERIFY(text.contains("CLK.PLLA.MUL") && text.contains("50"));
        const QString cpu = plain(clockText(*s, s->device->findClock("CPU")));
        QVERIFY(cpu.contains("Flash wait states") && cpu.contains("PATH") && cpu.contains("HF crystal"));
        const QString stopped = plain(clockText(*s, s->device->findClock("CKO.SRC")));
        QVERIFY(stopped.contains("Does not run"));
        // What nothing uses and nothing holds is not written.
        const QString idle = plain(clockText(*s, s->device->findClock("UART2K")));
        QVERIFY(idle.contains("Unused; keeps its reset value") && idle.contains("75 MHz") && !cpu.contains("Unused"));
        const QString set = plain(clockText(*s, s->device->findClock("PLLA.AUX")));
        QVERIFY2(set.contains("Unused, but running"), qPrintable(set));
        const auto broken = run(with(demo(), SetClock{"BUS1", clockSaid("1")}));
        QVERIFY(plain(clockText(*broken, broken->device->findClock("BUS1"))).contains("Above its limit of 75 MHz"));
        const auto odd = run(with(demo(), SetClock{"CPU", clockSaid("7")}));
        QVERIFY(plain(clockText(*odd, odd->device->findClock("CPU"))).contains("150000000/7 Hz"));
    }

    void needsAreExplained()
    {
        const auto s = run(demo());
        const QString text = plain(needText(*s, needIndex(s->plan, "uplink"), "tx", {}));
        QVERIFY2(text.contains("UART1") && text.contains("460.123 kBd") && text.contains("PD0 pin 49"),
                 qPrintable(text));
        const auto tangled = run(demo("sluice-node-c-tangled"));
        QVERIFY(plain(needText(*tangled, needIndex(tangled->plan, "gate-bridge"), "", {})).contains("is not possible"));
    }

    void padsAreExplained()
    {
        const auto s = run(demo());
        const QString pad = plain(padText(*s, s->device->findPad("PD1")));
        QVERIFY2(pad.contains("Uplink") && pad.contains("idles high") && pad.contains("UART1.RX") &&
                     pad.contains("code 8"),
                 qPrintable(pad));
        const QString debug = plain(padText(*s, s->device->findPad("PD12")));
        QVERIFY(debug.contains("SWD.CLK") && debug.contains("DBG_CLK"));
        QVERIFY(plain(padText(*s, s->device->findPad("PA2"))).contains("No need uses it"));
    }

    void registersAreExplained()
    {
        const auto s = run(demo());
        const QString text = plain(registerText(*s, "DRIVE1.SAFE"));
        QVERIFY2(text.contains("0x4D00F720", Qt::CaseInsensitive) && text.contains("DEAD") && text.contains("73 dead"),
                 qPrintable(text));
    }

    void everyLinkLeadsSomewhere()
    {
        for (const char* name : {"sluice-node-c-start", "sluice-node-c-done", "sluice-node-c-tangled"}) {
            const auto s = run(demo(name));
            QString all = planSummary(*s);
            for (size_t m = 0; m < s->device->modes.size(); ++m)
                all += modeText(*s, int(m));
            for (const std::string& id : storedIds(*s->device))
                all += storedText(*s, id, *findStored(*s->device, id));
            for (size_t i = 0; i < s->device->clocks.size(); ++i)
                all += clockText(*s, int(i));
            for (size_t i = 0; i < s->device->pads.size(); ++i)
                all += padText(*s, int(i));
            for (const NeedIndex n : s->plan.needs.indices())
                for (const Seat& seat : s->bindings.needs[n].seats)
                    all += needText(*s, int(n), seat.signal.id,
                                    optionsFor(*s->device, *s->board, s->plan, s->bindings, int(n), seat.signal.id));
            const QStringList found = links(all);
            QVERIFY(found.size() > 100);
            for (const QString& link : found)
                QVERIFY2(leadsSomewhere(*s, link), qPrintable(link));
            QVERIFY(!plain(all).contains("undefined"));
        }
    }

    void accuracyAndOutputsAreExplained()
    {
        // The tightest of all that hang on the crystal, and what each gets of it.
        const auto s = run(demo());
        const QString crystal = plain(clockText(*s, s->device->findClock("HFX")));
        QVERIFY2(crystal.contains("REQUIRED ACCURACY") && crystal.contains("Moss bus") && crystal.contains("0.313"),
                 qPrintable(crystal));
        const QString bus = plain(clockText(*s, s->device->findClock("BUS1")));
        QVERIFY2(bus.contains("GATES") && bus.contains("Off: "), qPrintable(bus));
        const QString stop = plain(modeText(*s, s->device->findMode("STOP")));
        QVERIFY2(stop.contains("WOKEN BY") && stop.contains("Lid switch") && stop.contains("2.054"), qPrintable(stop));
        // A clock that is led out: what an instrument at the pad must read.
        Need probe;
        probe.id = "probe";
        probe.title = "Probe";
        probe.kind = "clockout";
        probe.goals = {{"rate", "4 MHz"}};
        LoadedPlan work = with(with(with(demo(), InsertNeed{0, probe}), SetClock{"CKO.SRC", clockSaid("HFX")}),
                               SetClock{"CKO", clockSaid("3")});
        const auto open = run(work);
        const Expected<Edit> bound = bindNeed(*open->device, *open->board, open->plan, "probe");
        QVERIFY(bound);
        work.plan = *applied(work.plan, *bound);
        const auto out = run(work);
        const QString text = plain(clockText(*out, out->device->findClock("CKO")));
        QVERIFY2(text.contains("MEASURED AT") && text.contains("3.99992") && text.contains("4.00008"),
                 qPrintable(text));
        QVERIFY(!hasFinding(*out, "CLK-11"));
        QVERIFY(hasFinding(*run(with(work, SetClock{"CKO", clockSaid("10")})), "CLK-11", "CKO"));
    }

    void namesFromAPlanCannotBecomeMarkup()
    {
        LoadedPlan work = demo();
        work.plan.need("uplink")->title = "<b>x</b><img src='file:///etc/passwd'>";
        const auto s = run(work);
        const QString html = needText(*s, needIndex(s->plan, "modem-ring"), "", {}) +
                             clockText(*s, s->device->findClock("UART1K")) + padText(*s, s->device->findPad("PD0"));
        QVERIFY(!html.contains("<img"));
        QVERIFY(plain(html).contains("<b>x</b>"));
    }

    void unitsGetAThinSpace()
    {
        QCOMPARE(typeset(QString("48 MHz \u00b10.25 %")), QString("48\u2009MHz \u00b10.25\u2009%"));
        QCOMPARE(typeset(QString("pin 5 Sluice")), QString("pin 5 Sluice"));
        QCOMPARE(typeset(QString("3.3 V")), QString("3.3\u2009V"));
    }

    void coloursAreReadable_data()
    {
        QTest::addColumn<bool>("dark");
        QTest::newRow("fen") << false;
        QTest::newRow("night fen") << true;
    }
    /// Contrast after WCAG 2.1: 4.5 to 1 for text, 3 to 1 for marks, on all grounds that they are drawn on.
    void coloursAreReadable()
    {
        QFETCH(bool, dark);
        Theme::apply(*qApp, dark);
        const Theme& t = Theme::get();
        const auto luminance = [](const QColor& c) {
            const auto channel = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
            return 0.2126 * channel(c.redF()) + 0.7152 * channel(c.greenF()) + 0.0722 * channel(c.blueF());
        };
        const auto contrast = [&](const QColor& a, const QColor& b) {
            const double x = luminance(a), y = luminance(b);
            return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
        };
        for (const QColor& ground : {t.paper, t.raised, t.sunken})
            for (const QColor& text : {t.ink, t.muted, t.accent, t.error, t.caution})
                QVERIFY2(
                    contrast(text, ground) >= 4.5,
                    qPrintable(QString("%1 on %2: %3").arg(text.name(), ground.name()).arg(contrast(text, ground))));
        for (int i = 0; i < 12; ++i)
            QVERIFY2(contrast(t.hue(i), t.paper) >= 3, qPrintable(t.hue(i).name()));
    }
};

BINDREL_TEST(InspectorTest)
#include "inspector_test.moc"
