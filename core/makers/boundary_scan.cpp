// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/say.h"
#include "core/base/text.h"
#include "core/base/whole_number.h"
#include "core/makers/makers_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <optional>
#include <set>

// IEEE 1149.1 BSDL, a subset of VHDL: entity, generic PHYSICAL_PIN_MAP, port list, constants of PIN_MAP_STRING. What
// the scan registers do is of no use here and is passed over.

namespace bindrel {

namespace {

struct Token {
    enum class Kind { Word, Number, Text, Sign, End } kind = Kind::End;
    std::string text; ///< words in lower case
    std::string as;   ///< words as they are written
    std::size_t offset = 0;
};

constexpr std::size_t kMaxTokens = 2'000'000;
constexpr std::size_t kMaxPins = 4096;

class ScanReader {
public:
    ScanReader(const std::string& text, const std::string& name, const MakersChoice& choice)
        : text_(text), name_(name), choice_(choice)
    {
        for (std::size_t at = 0; at < text.size(); ++at)
            if (text[at] == '\n')
                lineStarts_.push_back(at + 1);
    }

    Expected<MakersFile> read()
    {
        if (const std::optional<Problem> bad = tokenize())
            return *bad;
        // "attribute … of X : entity is" has the word too.
        while (peek().kind != Token::Kind::End &&
               !(at("entity") && peek(1).kind == Token::Kind::Word && peek(2).text == "is"))
            ++next_;
        if (!at("entity"))
            return problemAt(0, say("has no entity: it is not a boundary-scan description."));
        ++next_;
        entity_ = take().as;
        if (!accept("is"))
            return problemHere(say("expected \"is\" behind the name of the entity."));
        while (peek().kind != Token::Kind::End && !at("end")) {
            std::optional<Problem> bad;
            if (at("generic"))
                bad = readGeneric();
            else if (at("port"))
                bad = readPorts();
            else if (at("constant"))
                bad = readConstant();
            else if (at("attribute"))
                bad = readAttribute();
            else
                skipStatement();
            if (bad)
                return *bad;
        }
        return finish();
    }

private:
    Problem problemAt(std::size_t offset, std::string message) const
    {
        Problem problem = problemOf(std::move(message));
        problem.file = name_;
        std::tie(problem.line, problem.column) = placeOf(offset);
        return problem;
    }
    std::pair<int, int> placeOf(std::size_t offset) const
    {
        const auto line = std::upper_bound(lineStarts_.begin(), lineStarts_.end(), offset) - 1;
        return {int(line - lineStarts_.begin()) + 1, int(offset - *line) + 1};
    }
    Problem problemHere(std::string message) const { return problemAt(peek().offset, std::move(message)); }

    std::optional<Problem> tokenize()
    {
        const auto letter = [](char c) { return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_'; };
        const auto digit = [](char c) { return c >= '0' && c <= '9'; };
        std::size_t i = 0;
        while (i < text_.size()) {
            const char c = text_[i];
            if (c == ' ' || c == '\t' || c == '\r' || c == '\n' || c == '\f' || c == '\v') {
                ++i;
                continue;
            }
            if (tokens_.size() > kMaxTokens)
                return problemAt(i, say("is longer than any boundary-scan description; it is not read."));
            Token token;
            token.offset = i;
            if (text_.compare(i, 2, "--") == 0) {
                while (i < text_.size() && text_[i] != '\n')
                    ++i;
                continue;
            }
            if (c == '"') {
                const std::size_t end = text_.find('"', i + 1);
                if (end == std::string::npos ||
                    std::count(text_.begin() + std::ptrdiff_t(i), text_.begin() + std::ptrdiff_t(end), '\n') > 0)
                    return problemAt(i, say("a text in quotes has no end on its line."));
                token.kind = Token::Kind::Text;
                token.text = token.as = text_.substr(i + 1, end - i - 1);
                i = end + 1;
                // Texts that stand side by side with & are one.
                if (tokens_.size() >= 2 && tokens_.back().text == "&" && tokens_.back().kind == Token::Kind::Sign &&
                    tokens_[tokens_.size() - 2].kind == Token::Kind::Text) {
                    tokens_.pop_back();
                    pieces_.push_back({tokens_.size() - 1, tokens_.back().text.size(), token.offset});
                    tokens_.back().text += token.text;
                    continue;
                }
            } else if (letter(c)) {
                const std::size_t begin = i;
                while (i < text_.size() && (letter(text_[i]) || digit(text_[i]) || text_[i] == '.'))
                    ++i;
                token.kind = Token::Kind::Word;
                token.as = text_.substr(begin, i - begin);
                token.text = lowered(token.as);
            } else if (digit(c)) {
                const std::size_t begin = i;
                while (i < text_.size() && (letter(text_[i]) || digit(text_[i]) || text_[i] == '.'))
                    ++i;
                token.kind = Token::Kind::Number;
                token.text = token.as = text_.substr(begin, i - begin);
            } else {
                token.kind = Token::Kind::Sign;
                token.text = token.as = text_.compare(i, 2, ":=") == 0 ? ":=" : std::string(1, c);
                i += token.text.size();
            }
            tokens_.push_back(std::move(token));
        }
        end_.offset = text_.size();
        return std::nullopt;
    }

    const Token& peek(std::size_t ahead = 0) const
    {
        return next_ + ahead < tokens_.size() ? tokens_[next_ + ahead] : end_;
    }
    Token take() { return next_ < tokens_.size() ? tokens_[next_++] : end_; }
    bool at(std::string_view text) const { return peek().kind != Token::Kind::Text && peek().text == text; }
    bool accept(std::string_view text)
    {
        if (!at(text))
            return false;
        ++next_;
        return true;
    }
    void skipStatement()
    {
        while (peek().kind != Token::Kind::End && !accept(";"))
            ++next_;
    }

    std::optional<Problem> readGeneric()
    {
        ++next_;
        if (!accept("("))
            return problemHere(say("expected \"(\" behind generic."));
        while (peek().kind != Token::Kind::End && !at(")")) {
            const std::string what = take().text;
            if (what == "physical_pin_map") {
                while (peek().kind != Token::Kind::End && !at(";") && !at(")") && peek().kind != Token::Kind::Text)
                    ++next_;
                if (peek().kind == Token::Kind::Text)
                    default_ = take().as;
            }
            while (peek().kind != Token::Kind::End && !at(";") && !at(")"))
                ++next_;
            accept(";");
        }
        accept(")");
        accept(";");
        return std::nullopt;
    }

    /// "A, B : in bit; D : inout bit_vector(0 to 7);"
    std::optional<Problem> readPorts()
    {
        ++next_;
        if (!accept("("))
            return problemHere(say("expected \"(\" behind port."));
        while (peek().kind != Token::Kind::End && !at(")")) {
            std::vector<Token> names;
            do {
                if (peek().kind != Token::Kind::Word)
                    return problemHere(say("\"{}\" is not the name of a port.", printable(peek().as)));
                names.push_back(take());
            } while (accept(","));
            if (!accept(":"))
                return problemHere(say("expected \":\" behind the names of ports."));
            const std::string mode = take().text;
            const std::string type = take().text;
            std::int64_t from = 0, to = 0;
            const bool vector = type == "bit_vector" || type == "std_logic_vector";
            if (vector) {
                if (!accept("("))
                    return problemHere(say("a bit_vector needs its range: (0 to 7)."));
                const std::optional<std::int64_t> first = wholeNumber(take().text, INT32_MAX);
                const bool down = at("downto");
                if (!accept("to") && !accept("downto"))
                    return problemHere(say("a bit_vector needs its range: (0 to 7)."));
                const std::optional<std::int64_t> last = wholeNumber(take().text, INT32_MAX);
                if (!first || !last)
                    return problemHere(say("the ends of a bit_vector's range must be numbers: (0 to 7)."));
                if (!accept(")"))
                    return problemHere(say("expected \")\" behind the range."));
                from = *first;
                to = *last;
                if (from < 0 || to < 0 || std::labs(to - from) > long(kMaxPins) || (down ? from < to : to < from))
                    return problemHere(say("this range of a bit_vector cannot be."));
            } else if (type != "bit" && type != "std_logic") {
                return problemHere(
                    say("\"{}\" is not a type of a port; the standard has bit and bit_vector.", printable(type)));
            }
            for (const Token& name : names) {
                Port port{name.as, mode, {}, name.offset};
                if (vector)
                    for (long n = from;; n += to < from ? -1 : 1) {
                        port.bits.push_back(name.as + std::to_string(n));
                        if (n == to)
                            break;
                    }
                if (ports_.size() > kMaxPins)
                    return problemAt(name.offset, say("has more ports than any package has pins."));
                if (!portAt_.emplace(name.text, ports_.size()).second)
                    return problemAt(name.offset, say("the port {} is given twice.", name.as));
                ports_.push_back(std::move(port));
            }
            if (!accept(";"))
                break;
        }
        if (!accept(")"))
            return problemHere(say("expected \")\" behind the ports."));
        accept(";");
        return std::nullopt;
    }

    /// "constant QFP : PIN_MAP_STRING := "A:1, B:(2,3)" & …;"
    std::optional<Problem> readConstant()
    {
        ++next_;
        const Token name = take();
        if (!accept(":"))
            return problemHere(say("expected \":\" behind the name of the constant."));
        if (!at("pin_map_string")) {
            skipStatement();
            return std::nullopt;
        }
        ++next_;
        if (!accept(":="))
            return problemHere(say("expected \":=\" behind PIN_MAP_STRING."));
        if (peek().kind != Token::Kind::Text)
            return problemHere(say("expected the map in quotes."));
        maps_.emplace_back(name.as, next_);
        ++next_;
        if (!accept(";"))
            return problemHere(say("expected \";\" behind the map."));
        return std::nullopt;
    }

    std::optional<Problem> readAttribute()
    {
        const std::string what = peek(1).text;
        static const std::set<std::string, std::less<>> tap{"tap_scan_in", "tap_scan_mode", "tap_scan_out",
                                                            "tap_scan_clock", "tap_scan_reset"};
        if (tap.contains(what) && peek(2).text == "of")
            tap_.insert(peek(3).text);
        skipStatement();
        return std::nullopt;
    }

    /// Where a place of a text lies in the file: a long map goes over many lines.
    std::size_t offsetIn(std::size_t token, std::size_t at) const
    {
        std::size_t offset = tokens_[token].offset + 1 + at;
        // The last piece of this text that begins at or before the place.
        const auto after = std::upper_bound(pieces_.begin(), pieces_.end(), std::pair{token, at},
                                            [](const auto& wanted, const Piece& piece) {
                                                return wanted < std::pair{piece.token, piece.from};
                                            });
        if (after != pieces_.begin() && (after - 1)->token == token)
            offset = (after - 1)->offset + 1 + (at - (after - 1)->from);
        return offset;
    }

    struct Port {
        std::string name, mode;
        std::vector<std::string> bits; ///< names of a vector's elements
        std::size_t offset = 0;
    };

    /// An entry of a pin map: a port, perhaps one element of a vector, and its pins, with where each stands in the
    /// text.
    struct Entry {
        std::string name;
        std::string element;
        std::size_t at = 0;
        std::vector<std::pair<std::string, std::size_t>> pins;
    };

    /// Reads the text of one pin map, entry by entry.
    class MapText {
    public:
        explicit MapText(const std::string& text) : text_(text) {}

        std::size_t at() const { return std::min(i_, text_.size()); }

        /// Whether there is another entry; blanks before it are passed over.
        bool more()
        {
            blank();
            return i_ < text_.size();
        }

        /// The next entry, or what was expected at at(). REQUIRES: more()
        Expected<Entry> entry()
        {
            Entry out;
            out.at = i_;
            out.name = word();
            blank();
            if (is('(')) { // one element of a vector, as an older form has it
                const std::size_t close = text_.find(')', i_);
                if (close == std::string::npos)
                    return problemOf(say("a bracket has no end."));
                out.element = std::string(trimmed(text_.substr(i_ + 1, close - i_ - 1)));
                i_ = close + 1;
                blank();
            }
            if (out.name.empty() || !take(':')) {
                i_ = out.at;
                return problemOf(say("expected PORT:PIN in the pin map."));
            }
            blank();
            if (const Outcome read = take('(') ? pinList(out) : pin(out, say("expected a pin.")); !read)
                return read.problem();
            blank();
            if (!take(',') && i_ < text_.size())
                return problemOf(say("expected \",\" between the entries of the pin map."));
            return out;
        }

    private:
        bool is(char c) const { return i_ < text_.size() && text_[i_] == c; }
        bool take(char c)
        {
            const bool there = is(c);
            i_ += there;
            return there;
        }
        void blank()
        {
            while (is(' ') || is('\t'))
                ++i_;
        }
        std::string word()
        {
            const std::size_t begin = i_;
            while (i_ < text_.size() && std::string_view(" \t:,()").find(text_[i_]) == std::string_view::npos)
                ++i_;
            return text_.substr(begin, i_ - begin);
        }

        Outcome pin(Entry& into, const char* expected)
        {
            const std::size_t here = i_;
            const std::string name = word();
            if (name.empty())
                return problemOf(expected);
            into.pins.emplace_back(name, here);
            return {};
        }

        /// Behind "(": pins with commas between them, and ")".
        Outcome pinList(Entry& into)
        {
            do {
                blank();
                if (Outcome read = pin(into, say("expected a pin in the list.")); !read)
                    return read;
                blank();
            } while (take(','));
            return take(')') ? Outcome() : Outcome(problemOf(say("expected \",\" or \")\" in the list of pins.")));
        }

        const std::string& text_;
        std::size_t i_ = 0;
    };

    MakersPin::Kind kindOf(const Port& port, bool single) const
    {
        const PowerName power = powerOf(port.name);
        const bool reference = port.mode.starts_with("vref");
        const bool linkage = port.mode.starts_with("linkage") || port.mode.starts_with("power") || reference;
        if (port.mode == "power_pos" || (linkage && power == PowerName::Supply) || reference)
            return MakersPin::Kind::Supply;
        if (port.mode == "power_0" || port.mode == "power_neg" || (linkage && power == PowerName::Ground))
            return MakersPin::Kind::Ground;
        return linkage || (tap_.contains(lowered(port.name)) && single) ? MakersPin::Kind::Dedicated
                                                                        : MakersPin::Kind::Pad;
    }

    using Map = std::pair<std::string, std::size_t>; ///< its name, and the token of its text

    /// The pins of an entry, after those that are there already; no pin is given twice.
    std::optional<Problem> addPins(const Map& map, const Entry& entry, const Port& of, std::vector<MakersPin>& pins)
    {
        if (entry.element.empty() && !of.bits.empty() && of.bits.size() != entry.pins.size())
            return problemAt(offsetIn(map.second, entry.at), say("{} has {} bits, and {} pins are listed for it.",
                                                                 of.name, of.bits.size(), entry.pins.size()));
        for (std::size_t n = 0; n < entry.pins.size(); ++n) {
            MakersPin pin;
            pin.number = entry.pins[n].first;
            pin.kind = kindOf(of, entry.pins.size() == 1);
            // Power pins of one port are one supply, whichever number they have in it.
            pin.name = pin.kind != MakersPin::Kind::Pad ? of.name
                       : !entry.element.empty()         ? of.name + entry.element
                       : of.bits.empty()                ? of.name
                                                        : of.bits[n];
            const std::size_t offset = offsetIn(map.second, entry.pins[n].second);
            std::tie(pin.line, pin.column) = placeOf(offset);
            if (!numbers_.insert(pin.number).second)
                return problemAt(offset, say("the pin {} is given to two ports.", pin.number));
            pins.push_back(std::move(pin));
            if (pins.size() > kMaxPins)
                return problemAt(offsetIn(map.second, entry.at), say("the map has more pins than any package."));
        }
        return std::nullopt;
    }

    /// The map that is asked for, else the file's default, else the first.
    Expected<Map> chosenMap() const
    {
        if (maps_.empty())
            return problemAt(0, say("{} has no pin map (a constant of PIN_MAP_STRING).", entity_));
        const std::string wanted = choice_.package.empty() ? default_ : choice_.package;
        for (const Map& map : maps_)
            if (lowered(map.first) == lowered(wanted))
                return map;
        if (choice_.package.empty())
            return maps_.front();
        std::vector<std::string> names;
        for (const Map& map : maps_)
            names.push_back(map.first);
        return problemAt(
            0, say("has no package \"{}\"; it has {}.{}", printable(wanted), listed(names), didYouMean(wanted, names)));
    }

    Expected<MakersFile> finish()
    {
        const Expected<Map> map = chosenMap();
        if (!map)
            return map.problem();
        MakersFile out;
        const int file = out.sections.addFile(name_);
        std::vector<MakersPin> pins;
        std::set<std::string> mapped;
        MapText text(tokens_[map->second].text);
        while (text.more()) {
            const Expected<Entry> entry = text.entry();
            if (!entry)
                return problemAt(offsetIn(map->second, text.at()), entry.problem().message);
            const auto port = portAt_.find(lowered(entry->name));
            if (port == portAt_.end())
                return problemAt(offsetIn(map->second, entry->at),
                                 say("{} is not a port of {}.{}", printable(entry->name), entity_,
                                     didYouMean(entry->name, portNames())));
            mapped.insert(lowered(entry->name));
            if (std::optional<Problem> wrong = addPins(*map, *entry, ports_[port->second], pins))
                return *wrong;
        }
        putPins(out, file, map->first, pins);
        remark(*map, mapped, out);
        return out;
    }

    /// What is not on the package, and what else the file has.
    void remark(const Map& map, const std::set<std::string>& mapped, MakersFile& out) const
    {
        for (const Port& port : ports_)
            if (!mapped.contains(lowered(port.name)) && out.remarks.size() < 1000)
                out.remarks.push_back(problemAt(port.offset, say("{} is on no pin of {}.", port.name, map.first)));
        if (maps_.size() > 1) {
            std::vector<std::string> others;
            for (const auto& [name, token] : maps_)
                if (name != map.first)
                    others.push_back(name);
            out.remarks.push_back(problemAt(tokens_[map.second].offset,
                                            say("{} is read; the file also has {}.", map.first, listed(others))));
        }
        if (!tap_.empty())
            out.remarks.push_back(
                problemAt(0, say("the pins of the test access port are taken as its own; a pad that shares one is "
                                 "described in the device file.")));
    }

    std::vector<std::string> portNames() const
    {
        std::vector<std::string> out;
        for (const Port& port : ports_)
            out.push_back(port.name);
        return out;
    }

    const std::string& text_;
    const std::string& name_;
    const MakersChoice& choice_;
    std::vector<Token> tokens_;
    /// Texts that are put together with & lie in several places.
    struct Piece {
        std::size_t token, from, offset; ///< place in the token's text; offset of the quote in the file
    };
    std::vector<Piece> pieces_; ///< in the order of the file
    std::vector<std::size_t> lineStarts_{0};
    Token end_;
    std::size_t next_ = 0;
    std::string entity_, default_;
    std::vector<Port> ports_;
    std::map<std::string, std::size_t> portAt_; ///< lower case
    std::vector<Map> maps_;
    std::set<std::string> numbers_; ///< pins that are given already
    std::set<std::string> tap_;     ///< lower case
};

} // namespace

Expected<MakersFile> readBoundaryScan(const std::string& text, const std::string& name, const MakersChoice& choice)
{
    return ScanReader(text, name, choice).read();
}

} // namespace bindrel
