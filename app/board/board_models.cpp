// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/board/board_models.h"

#include "app/theme/theme.h"
#include "app/widgets/marks.h"
#include "core/base/say.h"

#include <QFont>

#include <algorithm>

namespace bindrel {

namespace {

bool sameRows(const std::vector<BoardFact>& a, const std::vector<BoardFact>& b)
{
    return std::ranges::equal(a, b, [](const BoardFact& x, const BoardFact& y) { return x.title == y.title; });
}
bool sameRows(const std::vector<BoardPartRow>& a, const std::vector<BoardPartRow>& b)
{
    return std::ranges::equal(a, b, [](const BoardPartRow& x, const BoardPartRow& y) {
        return x.part == y.part && x.terminal == y.terminal;
    });
}

bool sameRows(const std::vector<BoardWishRow>& a, const std::vector<BoardWishRow>& b)
{
    return std::ranges::equal(a, b,
                              [](const BoardWishRow& x, const BoardWishRow& y) { return x.sentence == y.sentence; });
}

std::optional<TerminalProperty> propertyOf(int column)
{
    const int at = column - BoardPartsModel::Pull;
    if (at < 0 || at >= int(kTerminalProperties.size()))
        return std::nullopt;
    return kTerminalProperties[size_t(at)];
}

} // namespace

BoardModel::BoardModel(Document& document, QObject* parent) : QAbstractTableModel(parent), document_(document)
{
    connect(&document_, &Document::changed, this, &BoardModel::refresh);
}

void BoardModel::setLive(bool live)
{
    live_ = live;
    refresh();
}

void BoardModel::refresh()
{
    if (remake() && rowCount() > 0)
        Q_EMIT dataChanged(index(0, 0), index(rowCount() - 1, columnCount() - 1));
}

template <typename Row> bool BoardModel::replaceRows(std::vector<Row>& rows, std::vector<Row> next)
{
    const bool same = sameRows(rows, next);
    if (!same)
        beginResetModel();
    rows = std::move(next);
    if (!same)
        endResetModel();
    return same;
}

QString BoardModel::enter(const QModelIndex& index, const QString& text)
{
    if (!document_.isOpen() || !index.isValid() || text == index.data(Qt::EditRole).toString())
        return {};
    const Expected<Edit> edit = editFor(index, text.toStdString());
    if (!edit)
        return QString::fromStdString(edit.problem().message);
    document_.apply(*edit);
    return {};
}

bool BoardFactsModel::remake()
{
    return replaceRows(rows_,
                       live_ && document_.isOpen() ? boardFacts(document_.snapshot()) : std::vector<BoardFact>());
}

QVariant BoardFactsModel::data(const QModelIndex& index, int role) const
{
    const Theme& t = Theme::get();
    const BoardFact& fact = row(index.row());
    const bool wrong = !fact.finding.empty();
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole: {
        const std::string* const texts[] = {&fact.title, &fact.value, &fact.source, &fact.range};
        const QString text = QString::fromStdString(*texts[index.column()]);
        return role == Qt::DisplayRole ? typeset(text) : text;
    }
    case Qt::FontRole:
        return index.column() == Value || index.column() == Range
                   ? t.mono(11, index.column() == Value && fact.source == "plan")
                   : t.text(12);
    case Qt::ForegroundRole:
        return wrong && index.column() <= Value                                             ? t.error
               : index.column() == Source || index.column() == Range || fact.source.empty() ? t.muted
                                                                                            : t.ink;
    case Qt::ToolTipRole:
        return typeset(wrong ? fact.finding : fact.value);
    default:
        return {};
    }
}

QVariant BoardFactsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    static const char* const titles[] = {later("Fact"), later("On this board"), later("Source"), later("Chip accepts")};
    return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(say(titles[section])) : QVariant();
}

Qt::ItemFlags BoardFactsModel::flags(const QModelIndex& index) const
{
    const Qt::ItemFlags flags = QAbstractTableModel::flags(index);
    return index.column() == Value ? flags | Qt::ItemIsEditable : flags;
}

Expected<Edit> BoardFactsModel::editFor(const QModelIndex& index, const std::string& text) const
{
    return boardFactEdit(row(index.row()), text);
}

bool BoardPartsModel::remake()
{
    return replaceRows(rows_,
                       live_ && document_.isOpen() ? boardParts(document_.snapshot()) : std::vector<BoardPartRow>());
}

QVariant BoardPartsModel::data(const QModelIndex& index, int role) const
{
    const Theme& t = Theme::get();
    const BoardPartRow& at = row(index.row());
    const bool head = at.terminal.empty();
    const std::optional<TerminalProperty> property = propertyOf(index.column());
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole: {
        if (property) {
            const QString text = QString::fromStdString(at.said[size_t(index.column() - Pull)]);
            return role == Qt::DisplayRole ? typeset(text) : text;
        }
        if (index.column() == LeadsTo)
            return QString::fromStdString(at.leadsTo) + (head && at.ofPlan ? say(", from the plan") : "");
        return (!head && role == Qt::DisplayRole ? QString("    ") : QString()) + QString::fromStdString(at.title);
    }
    case Qt::FontRole:
        return head && index.column() == Title      ? t.text(12, true)
               : !head && index.column() != LeadsTo ? t.mono(11)
                                                    : t.text(12);
    case Qt::ForegroundRole:
        return !at.finding.empty() && index.column() <= LeadsTo  ? t.error
               : index.column() == LeadsTo || (head && property) ? t.muted
                                                                 : t.ink;
    case Qt::ToolTipRole:
        if (head && at.ofPlan && at.finding.empty())
            return say(
                "The plan describes this part. Delete goes back to the board file, or removes a part that is not in "
                "it.");
        return at.finding.empty() ? typeset(at.leadsTo) : typeset(at.finding);
    default:
        return {};
    }
}

QVariant BoardPartsModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    static const char* const titles[] = {later("Part and terminals"),
                                         later("Wired to"),
                                         later("Pull"),
                                         later("Voltage"),
                                         later("Current"),
                                         later("Inactive")};
    static const char* const tips[] = {"later(",
                                       ")later(",
                                       ")To which a resistor on the board pulls itlater(",
                                       ")Highest that it drives or is pulled to; empty: the supplylater(",
                                       ")That it takes from the pad, or gives into it; empty: a few microampereslater(",
                                       ")Level at which it does nothing; it must have it from reset on"};
    if (orientation != Qt::Horizontal)
        return {};
    return role == Qt::DisplayRole   ? QVariant(say(titles[section]))
           : role == Qt::ToolTipRole ? QVariant(say(tips[section]))
                                     : QVariant();
}

Qt::ItemFlags BoardPartsModel::flags(const QModelIndex& index) const
{
    const Qt::ItemFlags flags = QAbstractTableModel::flags(index);
    const bool head = row(index.row()).terminal.empty();
    const bool editable = head ? index.column() == Title : propertyOf(index.column()).has_value();
    return editable ? flags | Qt::ItemIsEditable : flags;
}

QStringList BoardPartsModel::choices(const QModelIndex& index) const
{
    const std::optional<TerminalProperty> property = propertyOf(index.column());
    if (!property || !*choicesOf(*property)[0])
        return {};
    return {choicesOf(*property)[1], choicesOf(*property)[0]};
}

Expected<Edit> BoardPartsModel::editFor(const QModelIndex& index, const std::string& text) const
{
    const BoardPartRow& at = row(index.row());
    if (at.terminal.empty())
        return partTitleEdit(document_.snapshot(), at.part, text);
    const std::optional<TerminalProperty> property = propertyOf(index.column());
    return property ? terminalEdit(document_.snapshot(), at, *property, text)
                    : Expected<Edit>(problemOf(say("a terminal's name follows from its part.")));
}

bool BoardWishesModel::remake()
{
    return replaceRows(rows_,
                       live_ && document_.isOpen() ? boardWishes(document_.snapshot()) : std::vector<BoardWishRow>());
}

QVariant BoardWishesModel::data(const QModelIndex& index, int role) const
{
    const Theme& t = Theme::get();
    const BoardWishRow* wish = row(index.row());
    if (!wish) {
        const bool first = index.column() == Sentence;
        return role == Qt::DisplayRole && first
                   ? QVariant(say("Another: pump in order, uplink on the left side \u2026"))
               : role == Qt::ForegroundRole              ? QVariant(t.muted)
               : role == Qt::ToolTipRole                 ? QVariant(examples())
               : role == Qt::AccessibleTextRole && first ? QVariant(say("Enter another wish"))
                                                         : QVariant();
    }
    switch (role) {
    case Qt::DisplayRole:
    case Qt::EditRole:
        return QString::fromStdString(index.column() == Sentence   ? wish->sentence
                                      : index.column() == Strength ? nameOf(wish->strength)
                                                                   : wish->state);
    case Qt::FontRole:
        return t.text(12, wish->strength == WishStrength::Rule && index.column() == Strength);
    case Qt::ForegroundRole:
        return wish->strength == WishStrength::Dropped   ? t.muted
               : wish->broken && index.column() == State ? (wish->strength == WishStrength::Rule ? t.error : t.caution)
               : index.column() == State                 ? t.muted
                                                         : t.ink;
    case Qt::ToolTipRole:
        return QString::fromStdString(index.column() == State ? wish->state : wish->sentence);
    default:
        return {};
    }
}

QString BoardWishesModel::examples()
{
    QStringList out{say("What a wish can say:")};
    for (const std::string& example : wishExamples())
        out << QString::fromStdString(example);
    return out.join("\n");
}

QVariant BoardWishesModel::headerData(int section, Qt::Orientation orientation, int role) const
{
    static const char* const titles[] = {later("Wish"), later("Strength"), later("State")};
    return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(say(titles[section])) : QVariant();
}

Qt::ItemFlags BoardWishesModel::flags(const QModelIndex& index) const
{
    const Qt::ItemFlags flags = QAbstractTableModel::flags(index);
    const bool editable = row(index.row()) ? index.column() != State : index.column() == Sentence;
    return editable ? flags | Qt::ItemIsEditable : flags;
}

QStringList BoardWishesModel::choices(const QModelIndex& index) const
{
    if (index.column() != Strength)
        return {};
    QStringList out;
    for (const WishStrength strength : {WishStrength::Wish, WishStrength::Rule, WishStrength::Dropped})
        out << nameOf(strength);
    return out;
}

Expected<Edit> BoardWishesModel::editFor(const QModelIndex& index, const std::string& text) const
{
    const BoardWishRow* wish = row(index.row());
    if (index.column() == Strength && wish)
        return wishStrengthEdit(document_.snapshot(), wish->sentence, text);
    return wishEdit(document_.snapshot(), wish ? wish->sentence : std::string(), text);
}

} // namespace bindrel
