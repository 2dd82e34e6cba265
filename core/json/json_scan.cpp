// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/json/json_scan.h"

#include "core/base/text.h"

#include <set>
#include <vector>

namespace bindrel {

namespace {

struct Frame {
    bool object = false;
    std::size_t index = 0;      ///< of the current element, in an array
    std::string key;            ///< of the current member, in an object
    std::set<std::string> keys; ///< seen so far, in an object
    bool awaitsKey = false;
};

std::vector<std::string> pointerTokens(std::string_view pointer)
{
    std::vector<std::string> tokens;
    if (pointer.empty())
        return tokens;
    for (std::string& token : splitted(pointer.substr(1), '/')) {
        std::string plain;
        for (std::size_t i = 0; i < token.size(); ++i) {
            if (token[i] == '~' && i + 1 < token.size())
                plain += token[++i] == '1' ? '/' : '~';
            else
                plain += token[i];
        }
        tokens.push_back(plain);
    }
    return tokens;
}

class Walk {
public:
    Walk(std::string_view text, std::string_view pointer, int maxDepth)
        : text_(text), wanted_(pointerTokens(pointer)), maxDepth_(static_cast<std::size_t>(maxDepth))
    {
    }

    JsonScan run()
    {
        while (at_ < text_.size() && !scan_.tooDeep && !scan_.duplicate && !scan_.tooMany) {
            skipBlank();
            if (at_ >= text_.size())
                break;
            const char c = text_[at_];
            if (c == '{' || c == '[') {
                noteValue();
                open(c == '{');
            } else if (c == '}' || c == ']') {
                if (stack_.empty())
                    break;
                stack_.pop_back();
                ++at_;
            } else if (c == ',') {
                next();
            } else if (c == ':') {
                ++at_;
            } else if (c == '"') {
                stringToken();
            } else {
                noteValue();
                while (at_ < text_.size() &&
                       std::string_view(",:]} \t\r\n/").find(text_[at_]) == std::string_view::npos)
                    ++at_;
                if (at_ < text_.size() && text_[at_] == '/' && !commentHere())
                    ++at_;
            }
        }
        return scan_;
    }

private:
    bool commentHere() const
    {
        return at_ + 1 < text_.size() && text_[at_] == '/' && (text_[at_ + 1] == '/' || text_[at_ + 1] == '*');
    }

    void skipBlank()
    {
        for (;;) {
            while (at_ < text_.size() &&
                   std::string_view(" \t\r\n\xEF\xBB\xBF").find(text_[at_]) != std::string_view::npos)
                ++at_;
            if (!commentHere())
                return;
            const bool line = text_[at_ + 1] == '/';
            const std::size_t end = text_.find(line ? "\n" : "*/", at_ + 2);
            at_ = end == std::string_view::npos ? text_.size() : end + (line ? 1 : 2);
        }
    }

    void open(bool object)
    {
        if (stack_.size() >= maxDepth_) {
            scan_.tooDeep = at_;
            return;
        }
        Frame frame;
        frame.object = object;
        frame.awaitsKey = object;
        stack_.push_back(std::move(frame));
        ++at_;
    }

    void next()
    {
        if (!stack_.empty()) {
            stack_.back().awaitsKey = stack_.back().object;
            if (++stack_.back().index >= kMaxEntries)
                scan_.tooMany = at_;
        }
        ++at_;
    }

    void stringToken()
    {
        const std::size_t start = at_++;
        std::string content;
        while (at_ < text_.size() && text_[at_] != '"') {
            if (text_[at_] == '\\' && at_ + 1 < text_.size())
                ++at_; // the escaped character itself is enough to tell keys apart here
            content += text_[at_++];
        }
        ++at_;
        if (stack_.empty() || !stack_.back().awaitsKey) {
            noteValue(start);
            return;
        }
        Frame& frame = stack_.back();
        frame.awaitsKey = false;
        frame.key = content;
        if (!frame.keys.insert(content).second) {
            scan_.duplicate = start;
            scan_.duplicateKey = content;
        }
    }

    void noteValue() { noteValue(at_); }
    void noteValue(std::size_t offset)
    {
        if (scan_.found || stack_.size() != wanted_.size())
            return;
        for (std::size_t i = 0; i < stack_.size(); ++i) {
            const Frame& frame = stack_[i];
            if (wanted_[i] != (frame.object ? frame.key : std::to_string(frame.index)))
                return;
        }
        scan_.found = offset;
    }

    std::string_view text_;
    std::vector<std::string> wanted_;
    std::size_t maxDepth_;
    std::size_t at_ = 0;
    std::vector<Frame> stack_;
    JsonScan scan_;
};

} // namespace

JsonScan scanJson(std::string_view text, std::string_view pointer, int maxDepth)
{
    return Walk(text, pointer, maxDepth).run();
}

} // namespace bindrel
