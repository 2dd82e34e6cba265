// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/output/pieces.h"

#include "core/base/fingerprint.h"
#include "core/base/text.h"
#include "core/output/merge.h"

#include <algorithm>

namespace bindrel {

namespace {

/// Collects pieces: what is agreed in a row is one.
class Collector {
public:
    void agreed(std::string_view text)
    {
        if (text.empty())
            return;
        if (pieces.empty() || !pieces.back().agreed)
            pieces.push_back({});
        pieces.back().text += text;
    }
    void conflict(MergePiece piece)
    {
        piece.agreed = false;
        piece.copy = ++copies_[piece.key()];
        pieces.push_back(std::move(piece));
    }

    std::vector<MergePiece> pieces;

private:
    std::map<std::string, int> copies_; ///< by the key of the first
};

/// Where each piece begins in the person's text.
void countLines(std::vector<MergePiece>& pieces, const std::string& mine)
{
    std::size_t from = 0;
    for (MergePiece& piece : pieces) {
        if (piece.agreed)
            continue;
        std::size_t at = mine.find(piece.mine, from);
        while (at != std::string::npos && at > 0 && mine[at - 1] != '\n')
            at = mine.find(piece.mine, at + 1);
        if (at != std::string::npos && !piece.mine.empty())
            from = at + piece.mine.size();
        else
            at = from;
        piece.line = 1 + int(std::count(mine.begin(), mine.begin() + std::ptrdiff_t(at), '\n'));
    }
}

} // namespace

std::string MergePiece::key() const
{
    const std::string number = std::to_string(copy);
    return fingerprint({&base, &mine, &fresh, &number});
}

std::vector<MergePiece> piecesOf(const std::optional<std::string>& base, const std::string& mine,
                                 const std::string& fresh)
{
    Collector out;
    const MarkedMerge marked = mergeWithMarks(base, mine, fresh);
    if ((!base && mine.empty() != fresh.empty()) || marked.end.empty()) {
        out.conflict({true, {}, mine, fresh, base.value_or(std::string())});
        return std::move(out.pieces);
    }
    std::optional<MergePiece> inside;
    std::string MergePiece::*side = nullptr;
    for (std::string_view rest = marked.text; !rest.empty();) {
        const std::size_t end = std::min(rest.find('\n'), rest.size() - 1) + 1;
        const std::string_view line = rest.substr(0, end);
        rest.remove_prefix(end);
        const std::string_view word = line.ends_with('\n') ? line.substr(0, line.size() - 1) : line;
        if (word == marked.mine) {
            inside.emplace();
            side = &MergePiece::mine;
        } else if (word == marked.base) {
            side = &MergePiece::base;
        } else if (word == marked.fresh) {
            side = &MergePiece::fresh;
        } else if (inside && word == marked.end) {
            out.conflict(*inside);
            inside.reset();
        } else if (inside) {
            (*inside.*side) += line;
        } else {
            out.agreed(line);
        }
    }
    countLines(out.pieces, mine);
    return std::move(out.pieces);
}

std::string settled(const MergePiece& piece, const PieceChoice& choice)
{
    const auto ended = [](std::string text) {
        if (!text.empty() && text.back() != '\n')
            text += '\n';
        return text;
    };
    switch (choice.take) {
    case PieceChoice::Take::Mine:
        return piece.mine;
    case PieceChoice::Take::New:
        return piece.fresh;
    case PieceChoice::Take::Both:
        return ended(piece.mine) + piece.fresh;
    case PieceChoice::Take::Text:
        break;
    }
    return ended(withLineFeeds(choice.text));
}

std::optional<std::string> settled(const std::vector<MergePiece>& pieces, const PieceChoices& choices)
{
    std::string out;
    for (const MergePiece& piece : pieces) {
        if (piece.agreed) {
            out += piece.text;
            continue;
        }
        const auto choice = choices.find(piece.key());
        if (choice == choices.end())
            return std::nullopt;
        out += settled(piece, choice->second);
    }
    return out;
}

int conflicts(const std::vector<MergePiece>& pieces)
{
    return int(std::count_if(pieces.begin(), pieces.end(), [](const MergePiece& piece) { return !piece.agreed; }));
}

int open(const std::vector<MergePiece>& pieces, const PieceChoices& choices)
{
    return int(std::count_if(pieces.begin(), pieces.end(), [&choices](const MergePiece& piece) {
        return !piece.agreed && !choices.contains(piece.key());
    }));
}

} // namespace bindrel
