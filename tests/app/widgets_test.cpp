// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/clocks/ladder_view.h"
#include "app/theme/line.h"
#include "app/theme/theme.h"
#include "app/tuning/bits_view.h"
#include "app/tuning/goals_form.h"
#include "app/tuning/waveform_view.h"
#include "app/widgets/needs_list.h"
#include "tests/support/fixtures.h"

#include <QAccessible>
#include <QApplication>
#include <QLineEdit>
#include <QPainter>
#include <QScrollBar>
#include <QSignalSpy>
#include <QToolButton>

#include <cmath>
#include <random>
#include <set>

using namespace bindrel;
using namespace bindrel::test;

/// A list of numbered rows; every seventh cannot be selected.
class NumberList : public RowList {
public:
    int rows = 50;
    int rowCount() const override { return rows; }
    void shrink(int to)
    {
        rows = to;
        rowsChanged();
    }

protected:
    int rowHeight(int row) const override { return row % 2 ? 20 : 30; }
    bool selectable(int row) const override { return row % 7 != 0; }
    void paintRow(QPainter&, int, const QRect&, bool) override {}
    QString rowText(int row) const override { return QString::number(row); }
};

/// The widgets one by one: what they show for a plan, and what keys and the pointer do.
class WidgetsTest : public QObject {
    Q_OBJECT

    std::unique_ptr<QTemporaryDir> dir_;
    std::unique_ptr<Document> document_;
    std::unique_ptr<ViewState> view_;

    void open(const char* name)
    {
        const QString path = dir_->filePath("plan.bindrel");
        QFile::remove(path);
        QVERIFY(QFile::copy(QString::fromStdString(demoPath(std::string("sluice-node-c-") + name)), path));
        QVERIFY(document_->open(path).ok());
    }
    int index(const char* need) const { return needIndex(document_->snapshot().plan, need); }

    /// Where a picture is not white.
    static QRect inkOf(const QImage& image)
    {
        QRect out;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x)
                if (qGray(image.pixel(x, y)) < 200)
                    out |= QRect(x, y, 1, 1);
        return out;
    }

private Q_SLOTS:
    /// A line that is kept lies where ordinary text would, the first time and the next, cut or not.
    void linesLieAsTextDoes()
    {
        const QRectF box(20, 10, 120, 40);
        for (const char* text : {"PA7", "SPI1 clock \u2264 12.5 MHz",
                                 "a line that is a good deal longer than the box that it is drawn in"})
            for (const Qt::Alignment align :
                 {Qt::AlignLeft | Qt::AlignTop, Qt::AlignHCenter | Qt::AlignVCenter, Qt::AlignRight | Qt::AlignBottom})
                for (const Qt::TextElideMode elide : {Qt::ElideNone, Qt::ElideRight, Qt::ElideMiddle}) {
                    const auto drawn = [&](bool kept) {
                        QImage image(160, 60, QImage::Format_RGB32);
                        image.fill(Qt::white);
                        QPainter painter(&image);
                        const QString line = QString::fromUtf8(text);
                        if (kept)
                            drawLine(painter, box, align, line, elide);
                        else
                            painter.drawText(box, int(align),
                                             elide == Qt::ElideNone
                                                 ? line
                                                 : QFontMetricsF(painter.font()).elidedText(line, elide, box.width()));
                        painter.end();
                        return image;
                    };
                    const QImage first = drawn(true);
                    QVERIFY2(first == drawn(true), text);
                    const QRect ink = inkOf(first), usual = inkOf(drawn(false));
                    QVERIFY2(!ink.isEmpty() && box.toAlignedRect().contains(ink), text);
                    const auto near = [](int a, int b) { return std::abs(a - b) <= 1; };
                    QVERIFY2(near(ink.top(), usual.top()) && near(ink.bottom(), usual.bottom()), text);
                    // Ordinary text that is too long runs out of its box, to either side.
                    if (usual.left() > box.left() && usual.right() < box.right())
                        QVERIFY2(near(ink.left(), usual.left()) && near(ink.right(), usual.right()), text);
                }
    }

    void initTestCase()
    {
        QStandardPaths::setTestModeEnabled(true);
        Theme::apply(*qApp, false);
    }

    void init()
    {
        dir_ = std::make_unique<QTemporaryDir>();
        document_ = std::make_unique<Document>(library());
        view_ = std::make_unique<ViewState>(*document_);
    }
    void cleanup()
    {
        view_.reset();
        document_.reset();
    }

    /// Each row of a list is there for a screen reader, with its text, and the current one is told.
    void rowsAreThereForAssistiveTechnology()
    {
        NumberList list;
        list.resize(200, 120);
        list.show();
        QAccessibleInterface* seen = QAccessible::queryAccessibleInterface(&list);
        QVERIFY(seen && seen->tableInterface());
        QCOMPARE(seen->tableInterface()->rowCount(), list.rowCount());
        for (const int row : {0, 8, 48}) {
            QAccessibleInterface* cell = seen->tableInterface()->cellAt(row, 0);
            QVERIFY(cell);
            QCOMPARE(cell->text(QAccessible::Name), static_cast<RowList&>(list).rowText(row));
        }
        list.setCurrentRow(8);
        QVERIFY(seen->tableInterface()->cellAt(8, 0)->state().selected);
        // Letters stay with the window: the list does not search for them.
        QTest::keyClick(&list, Qt::Key_4);
        QCOMPARE(list.currentRow(), 8);
    }

    void rowListWalksOverWhatCannotBeSelected()
    {
        NumberList list;
        list.resize(200, 120);
        list.show();
        QSignalSpy moved(&list, &RowList::currentChanged);
        QTest::keyClick(&list, Qt::Key_Home);
        QCOMPARE(list.currentRow(), 1);
        for (int i = 0; i < 6; ++i)
            QTest::keyClick(&list, Qt::Key_Down);
        QCOMPARE(list.currentRow(), 8); // 7 was passed over
        QTest::keyClick(&list, Qt::Key_Up);
        QCOMPARE(list.currentRow(), 6);
        QTest::keyClick(&list, Qt::Key_End);
        QCOMPARE(list.currentRow(), 48);
        QCOMPARE(moved.count(), 9);
        // The current row is always in view, whole.
        for (int row : {1, 20, 48, 3}) {
            list.setCurrentRow(row);
            QVERIFY(list.viewport()->rect().contains(list.rowRect(row)));
            QCOMPARE(list.rowAt(list.rowRect(row).center()), row);
        }
        QSignalSpy activated(&list, &RowList::activated);
        QTest::keyClick(&list, Qt::Key_Return);
        QTest::mouseDClick(list.viewport(), Qt::LeftButton, {}, list.rowRect(2).center());
        QCOMPARE(activated.count(), 2);
        list.shrink(2);
        QVERIFY(list.currentRow() < 2);
        list.shrink(0);
        QCOMPARE(list.currentRow(), -1);
        QTest::keyClick(&list, Qt::Key_Down);
        QCOMPARE(list.currentRow(), -1);
    }

    void waveformReadsOutTime()
    {
        const auto s = run(demo());
        WaveformView view;
        view.resize(700, 220);
        view.show(s->lookAt(needIndex(s->plan, "gate-bridge")).waveform, Qt::blue, "");
        const double span = s->lookAt(needIndex(s->plan, "gate-bridge")).waveform->span.toDouble();
        QCOMPARE(view.timeAt(0), 0.0);
        QCOMPARE(view.timeAt(10'000), span);
        double last = -1;
        for (double x = 60; x < 680; x += 10) {
            QVERIFY(view.timeAt(x) > last);
            last = view.timeAt(x);
        }
        const QImage still = view.grab().toImage();
        QTest::mouseMove(&view, QPoint(300, 100));
        QMouseEvent move(QEvent::MouseMove, QPointF(300, 100), view.mapToGlobal(QPointF(300, 100)), Qt::NoButton,
                         Qt::NoButton, Qt::NoModifier);
        QApplication::sendEvent(&view, &move);
        QVERIFY(view.grab().toImage() != still);
        view.show(std::nullopt, Qt::blue, "why not");
        QVERIFY(!view.grab().isNull());
    }

    void waveformsAreDrawnToScale()
    {
        // The dead time as a share of the picture's width must be its share of the period: find both edges in pixels.
        const auto s = run(with(demo(), SetGoal{"gate-bridge", "dead", "4 us"}));
        const Waveform wave = *s->lookAt(needIndex(s->plan, "gate-bridge")).waveform;
        WaveformView view;
        view.resize(1000, 260);
        view.show(wave, Qt::blue, "");
        const double off = wave.traces[0].edges[0].at.toDouble(), on = wave.traces[1].edges[0].at.toDouble();
        QVERIFY(std::abs((on - off) - 4e-6) < 16 / 150e6);
        int found = 0;
        for (int x = 0; x < 1000; ++x) {
            const double t = view.timeAt(x);
            found += t > off && t < on;
        }
        // 4 us of 41.66 us over the plot's width of 928 pixels.
        QVERIFY2(std::abs(found - 928 * (on - off) * 24e3) < 2, qPrintable(QString::number(found)));
    }

    void bitsShowEveryFieldOnceAndNameTheirGoal()
    {
        open("done");
        BitsView bits(*document_, view_->pending());
        bits.resize(300, 600);
        bits.showNeed(index("gate-bridge"));
        QSignalSpy pointed(&bits, &BitsView::goalPointedAt);
        std::set<std::string> goals;
        for (int y = 0; y < bits.sizeHint().height(); y += 4)
            for (int x = 2; x < 298; x += 6) {
                pointed.clear();
                QMouseEvent move(QEvent::MouseMove, QPointF(x, y), bits.mapToGlobal(QPointF(x, y)), Qt::NoButton,
                                 Qt::NoButton, Qt::NoModifier);
                QApplication::sendEvent(&bits, &move);
                QCOMPARE(pointed.count(), 1);
                goals.insert(pointed[0][0].value<std::string>());
            }
        for (const char* goal : {"frequency", "duty1", "duty2", "dead", "fault", "alignment", "idle"})
            QVERIFY2(goals.contains(goal), goal);
        const QImage plain = bits.grab().toImage();
        bits.lightGoal("dead");
        QVERIFY(bits.grab().toImage() != plain);
        // Narrow, it takes more lines; it never draws outside itself.
        const int wide = bits.sizeHint().height();
        bits.resize(150, 600);
        QVERIFY(bits.sizeHint().height() > wide);
        bits.showNeed(index("lid-switch"));
        QVERIFY(bits.sizeHint().height() > 100);
        bits.showNeed(-1);
        QVERIFY(!bits.grab().isNull());
    }

    void bitsOutliveTheSnapshotTheyShow()
    {
        open("done");
        BitsView bits(*document_, view_->pending());
        bits.resize(300, 400);
        bits.showNeed(index("uplink"));
        QVERIFY(document_->apply(editOf("", SetBinding{"uplink", {}})));
        QVERIFY(!bits.grab().isNull()); // still the old one, until it is told
    }

    void goalsFoldAwayWhatIsRare()
    {
        open("done");
        GoalsForm form(*document_, view_->pending());
        form.resize(420, 500);
        form.show();
        form.showNeed(index("uplink"));
        QVERIFY(form.editor("baud") && !form.editor("peer"));
        QTest::mouseClick(form.findChild<QToolButton*>("more"), Qt::LeftButton);
        QVERIFY(form.editor("peer"));
        form.showNeed(index("gate-bridge"));
        QVERIFY(form.editor("dead") && !form.editor("steps") && !form.editor("duty3"));
        // A goal that is jumped to is unfolded.
        form.focusGoal("steps");
        QVERIFY(form.editor("steps"));
        // Another choice brings other goals.
        QVERIFY(document_->apply(editOf("", SetGoal{"gate-bridge", "outputs", "single"})));
        form.showNeed(index("gate-bridge"));
        QVERIFY(!form.editor("dead"));
        QVERIFY(document_->apply(editOf("", SetGoal{"gate-bridge", "channels", "4"})));
        form.showNeed(index("gate-bridge"));
        QVERIFY(form.editor("duty4"));
        form.showNeed(-1);
        QVERIFY(!form.editor("duty4"));
    }

    void ladderMarksWhatRunsAndWhatDoesNot()
    {
        open("done");
        LadderView ladder(*document_, *view_);
        ladder.resize(950, 760);
        ladder.show();
        QApplication::processEvents();
        const QImage picture = ladder.viewport()->grab().toImage();
        const auto darkestIn = [&](const char* clock) {
            const QRect row = ladder.rowRect(ladder.rowOf(clock));
            int darkest = 255;
            for (int x = 230; x < picture.width() - 40; ++x)
                if (const QColor colour = picture.pixelColor(x, row.center().y());
                    colour.alpha() > 0) // where nothing is drawn the window shows through
                    darkest = std::min(darkest, colour.lightness());
            return darkest;
        };
        // A running clock has an ink mark in its row, one that does not run has none.
        QVERIFY(darkestIn("CPU") < 70);
        QVERIFY(darkestIn("HFX") < 70);
        QVERIFY(darkestIn("PLLB.IN") > 70);
        // A broken limit is drawn in the colour of errors.
        QVERIFY(document_->apply(editOf("", SetClock{"BUS1", clockSaid("1")})));
        const QImage broken = ladder.viewport()->grab().toImage();
        const QRect row = ladder.rowRect(ladder.rowOf("BUS1"));
        bool red = false;
        for (int x = 230; x < broken.width(); ++x)
            red = red || broken.pixelColor(x, row.center().y()) == Theme::get().error;
        QVERIFY(red);
        // All rungs fit without scrolling at the size that the window is laid out for.
        QCOMPARE(ladder.verticalScrollBar()->maximum(), 0);
    }

    void listFollowsSelectionAndTells()
    {
        open("tangled");
        NeedsList list(*document_, *view_, NeedsList::Detail::NeedsAndSignals);
        list.resize(234, 700);
        list.show();
        view_->select({Place::Kind::Pad, "PD3", "uplink"});
        QVERIFY(list.currentRow() == list.rowOf("uplink", "rts"));
        QVERIFY(list.rowOf("uplink", "rts") != list.rowOf("uplink"));
        view_->select({});
        QCOMPARE(list.currentRow(), -1);
        list.setFilter("no such thing");
        QCOMPARE(list.rowCount(), 0);
        QVERIFY(!list.grab().isNull());
    }

    void documentTellsOnceAnEdit()
    {
        open("done");
        QSignalSpy changed(document_.get(), &Document::changed), refused(document_.get(), &Document::refused);
        QVERIFY(document_->apply(editOf("", SetClock{"BUS1", clockSaid("4")})));
        QCOMPARE(changed.count(), 1);
        QVERIFY(!document_->apply(editOf("", SetGoal{"uplink", "baud", "x"})));
        QCOMPARE(changed.count(), 1);
        QCOMPARE(refused.count(), 1);
        document_->undo();
        document_->undo(); // nothing is left to undo
        QCOMPARE(changed.count(), 2);
        QVERIFY(!document_->unsaved());
    }

    void copiesHaveNoFileOfTheirOwn()
    {
        QVERIFY(document_->openCopy(QString::fromStdString(demoPath("sluice-node-c-done"))).ok());
        QVERIFY(document_->path().isEmpty() && document_->unsaved());
        QVERIFY(document_->saveAs(dir_->filePath("mine.bindrel")).ok());
        QVERIFY(!document_->unsaved());
        COMPARE_TEXT(textOf(dir_->filePath("mine.bindrel").toStdString()),
                     QString::fromStdString(planText(stamped(demo().plan, *demo().device, Origin::Shipped))));
        QVERIFY(!document_->saveAs("/no/such/folder/x.bindrel").ok());
        QVERIFY(!document_->newFromBoard("no such board").ok());
        QVERIFY(document_->isOpen());
    }

    void randomEditsWhileEverythingWatches()
    {
        open("done");
        LadderView ladder(*document_, *view_);
        NeedsList list(*document_, *view_, NeedsList::Detail::NeedsAndSignals);
        GoalsForm form(*document_, view_->pending());
        BitsView bits(*document_, view_->pending());
        for (QWidget* w : {static_cast<QWidget*>(&ladder), static_cast<QWidget*>(&list), static_cast<QWidget*>(&form),
                           static_cast<QWidget*>(&bits)}) {
            w->resize(400, 400);
            w->show();
        }
        std::mt19937 random(53);
        for (int i = 0; i < 120; ++i) {
            const Plan& plan = document_->snapshot().plan;
            switch (random() % 6) {
            case 0:
                document_->undo();
                break;
            case 1:
                document_->redo();
                break;
            case 2:
                if (!plan.needs.empty())
                    document_->apply(editOf("", RemoveNeed{plan.needs[NeedIndex(random() % plan.needs.size())].id}));
                break;
            case 3:
                if (!plan.needs.empty())
                    document_->apply(
                        editOf("", SetBinding{plan.needs[NeedIndex(random() % plan.needs.size())].id, {}}));
                break;
            case 4:
                document_->apply(editOf("", SetClock{"SYS", InputDecision{random() % 2 ? "HFI" : "HFX"}}));
                break;
            default:
                if (!plan.needs.empty())
                    view_->select({Place::Kind::Need, plan.needs[NeedIndex(random() % plan.needs.size())].id, {}});
            }
            const int needs = int(document_->snapshot().plan.needs.size());
            form.showNeed(needs ? int(random() % unsigned(needs)) : -1);
            bits.showNeed(needs ? int(random() % unsigned(needs)) : -1);
            QApplication::processEvents();
            for (QWidget* w : {static_cast<QWidget*>(&ladder), static_cast<QWidget*>(&list),
                               static_cast<QWidget*>(&form), static_cast<QWidget*>(&bits)})
                QVERIFY(!w->grab().isNull());
        }
        document_->clearJournal();
    }
};

BINDREL_TEST(WidgetsTest)
#include "widgets_test.moc"
