// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/start/chip_catalogue.h"

#include "app/start/chip_model.h"
#include "app/theme/theme.h"
#include "app/widgets/panel.h"
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/plan/kind.h"
#include "core/quantity/format.h"
#include "core/quantity/parse.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTableView>
#include <QTextBrowser>
#include <QVBoxLayout>

#include <algorithm>
#include <set>

namespace bindrel {

namespace {

QSpinBox* atLeast(const QString& name, const QString& unit, int most)
{
    auto* box = new QSpinBox;
    box->setRange(0, most);
    box->setSpecialValueText("any");
    box->setSuffix(unit);
    box->setAccessibleName(name);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setMinimumWidth(70);
    return box;
}

} // namespace

ChipCatalogue::ChipCatalogue(Document& document, QWidget* parent) : QWidget(parent), document_(document)
{
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(8);
    const auto labelled = [](QHBoxLayout* row, const QString& text, QWidget* field) {
        auto* label = new QLabel(text);
        label->setBuddy(field);
        row->addWidget(label);
        row->addWidget(field);
    };
    auto* first = new QHBoxLayout;
    text_ = new QLineEdit;
    text_->setPlaceholderText(say("Name or words"));
    text_->setAccessibleName(say("Name or words"));
    text_->setClearButtonEnabled(true);
    first->addWidget(text_, 1);
    package_ = new QComboBox;
    package_->addItem(say("any package"));
    for (const Package::Kind kind :
         {Package::Kind::QuadFlat, Package::Kind::NoLead, Package::Kind::DualRow, Package::Kind::BallGrid})
        package_->addItem(nameOf(kind));
    package_->setAccessibleName(say("Package"));
    first->addWidget(package_);
    pins_ = atLeast(say("Pins (max.)"), "", 2000);
    labelled(first, say("Pins \u2264"), pins_);
    supply_ = new QLineEdit;
    supply_->setPlaceholderText(say("any supply"));
    supply_->setAccessibleName(say("Works at this supply"));
    supply_->setMaximumWidth(90);
    first->addWidget(supply_);
    column->addLayout(first);
    auto* second = new QHBoxLayout;
    flash_ = atLeast(say("Flash (min.)"), say(" KiB"), 1'000'000);
    ram_ = atLeast(say("RAM (min.)"), say(" KiB"), 1'000'000);
    rate_ = atLeast(say("CPU (min.)"), " MHz", 10'000);
    labelled(second, say("Flash \u2265"), flash_);
    labelled(second, "RAM \u2265", ram_);
    labelled(second, "CPU \u2265", rate_);
    kindCount_ = atLeast(say("How many"), "", 99);
    kind_ = new QComboBox;
    kind_->setAccessibleName(say("Peripheral"));
    std::set<std::string> seen;
    for (const KindSpec& kind : kinds())
        if (!kind.instanceKind.empty() && kind.instanceKind != "*" && seen.insert(kind.instanceKind).second)
            kind_->addItem(QString::fromStdString(kind.instanceKind == "timer" ? "timers" : say(kind.title)),
                           QString::fromStdString(kind.instanceKind));
    labelled(second, say("with \u2265"), kindCount_);
    second->addWidget(kind_);
    second->addStretch(1);
    column->addLayout(second);
    auto* third = new QHBoxLayout;
    mustFit_ = new QCheckBox(say("The open plan must fit"));
    third->addWidget(mustFit_);
    note_ = new QLabel;
    third->addWidget(note_, 1);
    column->addLayout(third);

    chips_ = new ChipModel(this);
    shown_ = new ChipFilter(*chips_, this);
    table_ = new QTableView;
    table_->setModel(shown_);
    table_->setAccessibleName(say("Chips"));
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::ExtendedSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setTabKeyNavigation(false);
    table_->setShowGrid(false);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setDefaultSectionSize(22);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->setSortingEnabled(true);
    column->addWidget(table_, 1);
    detail_ = new QTextBrowser;
    detail_->setAccessibleName(say("The chip, or two side by side"));
    detail_->setFrameShape(QFrame::NoFrame);
    detail_->setFixedHeight(220);
    column->addWidget(detail_);
    auto* buttons = new QHBoxLayout;
    auto* fresh = new QPushButton(say("New plan for this chip"));
    auto* move = new QPushButton(say("Move the open plan to it\u2026"));
    buttons->addWidget(fresh);
    buttons->addWidget(move);
    buttons->addStretch(1);
    column->addLayout(buttons);
    const auto chosen = [this]() -> QString {
        const std::vector<int> chips = selectedChips();
        return chips.empty() ? QString() : QString::fromStdString(chips_->device(chips.front()).name);
    };
    connect(fresh, &QPushButton::clicked, this, [this, chosen] {
        if (const QString chip = chosen(); !chip.isEmpty())
            Q_EMIT newWanted(chip);
    });
    connect(move, &QPushButton::clicked, this, [this, chosen] {
        if (const QString chip = chosen(); !chip.isEmpty())
            Q_EMIT moveWanted(chip);
    });
    connect(table_->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this, fresh, move] {
        const bool one = selectedChips().size() == 1;
        fresh->setEnabled(one);
        move->setEnabled(one && document_.isOpen());
        compare();
    });
    fresh->setEnabled(false);
    move->setEnabled(false);
    connect(text_, &QLineEdit::textChanged, this, &ChipCatalogue::filter);
    connect(supply_, &QLineEdit::textChanged, this, &ChipCatalogue::filter);
    for (QComboBox* box : {package_, kind_})
        connect(box, &QComboBox::currentIndexChanged, this, &ChipCatalogue::filter);
    for (QSpinBox* box : {pins_, flash_, ram_, rate_, kindCount_})
        connect(box, &QSpinBox::valueChanged, this, &ChipCatalogue::filter);
    connect(mustFit_, &QCheckBox::toggled, this, &ChipCatalogue::place);
    connect(&background_, &Background::busyChanged, this, [this](const QString& what) { note_->setText(what); });
}

void ChipCatalogue::refresh()
{
    if (chips_->rowCount() == 0) {
        chips_->setChips(document_.library().devices());
        table_->sortByColumn(ChipModel::Name, Qt::AscendingOrder);
        table_->resizeColumnsToContents();
        table_->setColumnWidth(ChipModel::Cores, std::min(table_->columnWidth(ChipModel::Cores), 104));
    }
    mustFit_->setEnabled(document_.isOpen());
    if (!document_.isOpen())
        mustFit_->setChecked(false);
    if (fitsOf_ && (!document_.isOpen() || fitsOf_ != document_.sharedSnapshot())) {
        chips_->setFits({});
        fitsOf_.reset();
    }
    place();
}

void ChipCatalogue::filter()
{
    const std::string supplyText = supply_->text().trimmed().toStdString();
    const Expected<Voltage> supply = parseVoltage(supplyText);
    restyle(supply_, supplyText.empty() || supply ? QString() : QString("color: %1").arg(Theme::get().error.name()));
    supply_->setToolTip(supplyText.empty() || supply ? QString() : QString::fromStdString(supply.problem().message));
    const QStringList words = text_->text().split(' ', Qt::SkipEmptyParts);
    shown_->setAccepted([this, supply, words](int row) {
        const Device& device = chips_->device(row);
        const DeviceDigest& figures = chips_->figures(row);
        const QString all = QString::fromStdString(device.name + " " + device.family + " " + device.about + " " +
                                                   device.package.name + " " + figures.cores);
        const auto count = figures.instances.find(kind_->currentData().toString().toStdString());
        return std::all_of(words.begin(), words.end(),
                           [&all](const QString& word) { return all.contains(word, Qt::CaseInsensitive); }) &&
               (package_->currentIndex() == 0 || package_->currentText() == nameOf(device.package.kind)) &&
               (pins_->value() == 0 || figures.pins <= pins_->value()) &&
               figures.flashBytes >= std::uint64_t(flash_->value()) * 1024 &&
               figures.ramBytes >= std::uint64_t(ram_->value()) * 1024 &&
               figures.fastest.value >= Rational(rate_->value()) * Rational(1'000'000) &&
               (!supply || (*supply >= device.supplyMin && *supply <= device.supplyMax)) &&
               (kindCount_->value() == 0 ||
                (count != figures.instances.end() && count->second >= kindCount_->value())) &&
               (!mustFit_->isChecked() || chips_->fits(row));
    });
    compare();
}

void ChipCatalogue::place()
{
    if (!document_.isOpen() || fitsOf_ || !mustFit_->isChecked()) {
        filter();
        return;
    }
    background_.run<std::map<std::string, Fit>>(
        say("Trying every chip"),
        [s = document_.sharedSnapshot(), devices = document_.library().devices()](const Background::Stopped& stopped) {
            std::map<std::string, Fit> out;
            for (const auto& device : devices)
                if (!stopped())
                    out[device->name] = fitOn(*device, *s->board, s->plan, stopped);
            return out;
        },
        [this, s = document_.sharedSnapshot()](std::map<std::string, Fit> fits) {
            chips_->setFits(std::move(fits));
            fitsOf_ = s;
            filter();
        });
}

std::vector<int> ChipCatalogue::selectedChips() const
{
    std::vector<int> out;
    for (const QModelIndex& index : table_->selectionModel()->selectedRows())
        out.push_back(shown_->mapToSource(index).row());
    return out;
}

QStringList ChipCatalogue::shownChips() const
{
    QStringList out;
    for (int row = 0; row < shown_->rowCount(); ++row)
        out << shown_->index(row, ChipModel::Name).data().toString();
    return out;
}

QString ChipCatalogue::comparison() const
{
    return detail_->toPlainText();
}

void ChipCatalogue::compare()
{
    const Theme& t = Theme::get();
    std::vector<int> chips = selectedChips();
    if (chips.empty()) {
        detail_->setHtml(
            QString(say("<p style='color:%1'>Select a chip to see it, two to compare them.</p>")).arg(t.muted.name()));
        return;
    }
    chips.resize(std::min<size_t>(chips.size(), 2));
    // A row a fact; what differs between two stands out.
    std::vector<std::pair<QString, QStringList>> rows;
    std::set<std::string> kindsSeen;
    const auto add = [&rows](const QString& what, const QStringList& values) { rows.emplace_back(what, values); };
    const auto each = [&](auto value) {
        QStringList out;
        for (const int chip : chips)
            out << typeset(value(chips_->device(chip), chips_->figures(chip)));
        return out;
    };
    add("", each([](const Device& d, const DeviceDigest&) { return d.name; }));
    add(say("About"), each([](const Device& d, const DeviceDigest&) { return d.about; }));
    add(say("Package"), each([](const Device& d, const DeviceDigest& f) {
            return d.package.name + ", " + std::to_string(f.pins) + say(" pins, ") + std::to_string(f.pads) +
                   say(" pads");
        }));
    add(say("Core"), each([](const Device&, const DeviceDigest& f) { return f.cores; }));
    add(say("CPU (max.)"), each([](const Device&, const DeviceDigest& f) { return format(f.fastest); }));
    add(say("Flash, RAM"), each([](const Device&, const DeviceDigest& f) {
            return std::to_string(f.flashBytes / 1024) + say(" KiB, ") + std::to_string(f.ramBytes / 1024) +
                   say(" KiB");
        }));
    add(say("Supply"), each([](const Device& d, const DeviceDigest&) {
            return format(d.supplyMin) + say(" to ") + format(d.supplyMax);
        }));
    add(say("Temperature"), each([](const Device& d, const DeviceDigest&) {
            return std::to_string(d.temperature.low) + say(" to ") + std::to_string(d.temperature.high) + " \u00b0C";
        }));
    for (const KindSpec& kind : kinds())
        if (!kind.instanceKind.empty() && kind.instanceKind != "*" && kindsSeen.insert(kind.instanceKind).second)
            add(QString::fromStdString(kind.instanceKind == "timer" ? say("Timers") : say(kind.title)),
                each([&kind](const Device&, const DeviceDigest& f) {
                    const auto count = f.instances.find(kind.instanceKind);
                    return count == f.instances.end() ? std::string("\u2013") : std::to_string(count->second);
                }));
    QString html = "<table cellspacing='0'>";
    for (const auto& [what, values] : rows) {
        if (std::all_of(values.begin(), values.end(), [](const QString& v) { return v == "\u2013"; }))
            continue;
        const bool differs = values.size() == 2 && values[0] != values[1];
        html +=
            QString("<tr><td style='color:%1; padding-right:14px'>%2</td>").arg(t.muted.name(), what.toHtmlEscaped());
        for (const QString& value : values)
            html +=
                QString("<td style='padding-right:22px'>%1</td>")
                    .arg(differs || what.isEmpty() ? "<b>" + value.toHtmlEscaped() + "</b>" : value.toHtmlEscaped());
        html += "</tr>";
    }
    detail_->setHtml(html + "</table>");
}

} // namespace bindrel
