// SPDX-License-Identifier: GPL-3.0-or-later
// What the person who lays out the board wishes of where signals lie.
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/findings/finding.h"
#include "core/pins/placement_words.h"
#include "core/pins/wishes.h"

#include <fmt/format.h>

#include <algorithm>

namespace bindrel {

namespace {

using Severity = Finding::Severity;

void notKept(const Facts& f, std::vector<Finding>& out)
{
    if (f.board.wishes.empty())
        return;
    const PadPlaces places(f.device);
    for (const ResolvedWish& wish : resolveWishes(f.device, f.board, f.plan).wishes) {
        if (wish.stands)
            continue;
        const WishState state = judgeWish(f.device, places, f.plan, f.bindings, wish);
        if (state.broken == 0)
            continue;
        constexpr std::size_t kShown = 3;
        std::vector<std::string> words(state.words.begin(),
                                       state.words.begin() + std::ptrdiff_t(std::min(kShown, state.words.size())));
        if (state.words.size() > kShown)
            words.push_back(say("{} more", state.words.size() - kShown));
        const WishedSignal& by = state.by.front();
        const std::string& need = f.plan.needs[by.need].id;
        out.push_back(
            {wish.rule ? Severity::Error : Severity::Caution,
             {},
             message("The board asks for \"{}\": {}. {}", wish.text, joined(words, "; "),
                     wish.rule ? say("Move it, or make it a wish that may be broken.")
                               : say("Move it, or drop the wish.")),
             by.signal.empty() ? Place{Place::Kind::Need, need, {}} : Place{Place::Kind::Signal, need, by.signal},
             say("Keep \"{}\"", wish.text)});
    }
}

/// Places anew whoever the wish is about, with the wish as a rule; others make room where they must.
Expected<Edit> fixByKeeping(const Facts& f, const Finding& finding)
{
    Board board = f.board;
    const PadPlaces places(f.device);
    for (const ResolvedWish& wish : resolveWishes(f.device, f.board, f.plan).wishes) {
        if (finding.fixTitle != say("Keep \"{}\"", wish.text))
            continue;
        board.wishes[wish.text] = WishStrength::Rule;
        PlacementRequest request;
        request.mayMove = true;
        request.leaveContests = true;
        request.strictRules = true;
        std::vector<WishedSignal> about = wish.signals;
        if (wish.wish.kind == Wish::Kind::KeepFree)
            about = judgeWish(f.device, places, f.plan, f.bindings, wish).by;
        for (const WishedSignal& signal : about)
            if (std::find(request.needs.begin(), request.needs.end(), signal.need) == request.needs.end() &&
                f.bindings.needs[signal.need].state != BoundNeed::State::Open)
                request.needs.push_back(signal.need);
        if (request.needs.empty())
            return problemOf(say("nothing that the wish is about is bound; bind it first."));
        const PlacementResult found = place(f.device, board, f.plan, request);
        if (found.ways.empty()) {
            if (found.rules == std::vector<std::string>{wish.text})
                return problemOf(say("no placement on {} keeps \"{}\", whoever moves. Drop the wish, or ask for "
                                     "less.",
                                     f.device.name, wish.text));
            const std::string why = noRoom(f.device, f.plan, found, request.needs).message;
            return problemOf(say("\"{}\" cannot be kept: {}", wish.text, why));
        }
        return editOfPlacement(f.plan, found.ways.front(), finding.fixTitle);
    }
    return problemOf(say("the wish is no longer stated."));
}

void unclearNames(const Facts& f, std::vector<Finding>& out)
{
    for (const WishReading::Unclear& unclear : resolveWishes(f.device, f.board, f.plan).unclear)
        out.push_back(
            {Severity::Caution,
             {},
             message("The wish \"{}\" cannot be judged: {}. State it anew, or remove it.", unclear.text, unclear.why),
             {},
             say("Remove \"{}\"", unclear.text)});
    for (const auto& [part, place] : f.plan.places)
        if (!f.board.part(part))
            out.push_back({Severity::Caution,
                           {},
                           message("The plan says where the part \"{}\" stands ({}), but the board has no such "
                                   "part. Add the part, or forget its place.",
                                   part, place),
                           {},
                           say("Forget the place of {}", part)});
}

Expected<Edit> fixByRemoving(const Facts& f, const Finding& finding)
{
    for (const auto& [part, place] : f.plan.places)
        if (finding.fixTitle == say("Forget the place of {}", part))
            return editOf(finding.fixTitle, SetPlace{part, std::nullopt});
    for (const auto& [sentence, strength] : f.board.wishes)
        if (finding.fixTitle == say("Remove \"{}\"", sentence)) {
            // What the board's file says can only be dropped for this plan.
            const auto own = f.plan.wishes.find(sentence);
            return editOf(
                finding.fixTitle,
                SetWish{sentence, own == f.plan.wishes.end() ? std::optional(WishStrength::Dropped) : std::nullopt});
        }
    return problemOf(say("the wish is no longer stated."));
}

} // namespace

std::vector<Rule> wishRules()
{
    return {
        {"BRD-02", later("What the board's layout asks for is kept."), notKept, fixByKeeping},
        {"BRD-03", later("What is said of the layout names what there is."), unclearNames, fixByRemoving},
    };
}

} // namespace bindrel
