// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include "app/session/background.h"
#include "app/session/document.h"
#include "app/session/option_finder.h"
#include "app/session/view_state.h"
#include "app/widgets/proposal_list.h"
#include "core/pins/bind_all.h"
#include "core/pins/part_offer.h"

#include <QWidget>

class QLabel;
class QLineEdit;
class QStackedWidget;

namespace bindrel {

class ChipView;
class NeedsList;
class PinSheetView;

/// Needs on the left, the picture or the pin sheet in the middle; what the keys and drags in either do to the plan.
class WiringStation : public QWidget {
    Q_OBJECT
public:
    WiringStation(Document& document, ViewState& view, OptionFinder& options, QWidget* parent = nullptr);
    ChipView* chip() const { return chip_; }
    NeedsList* needs() const { return needs_; }
    PinSheetView* sheet() const { return sheet_; }
    /// Ways out of contention, or parts to add, in place of the needs; null rows when neither is shown.
    ProposalList* proposals() const { return proposals_; }
    bool proposing() const;
    QLineEdit* partFilter() const { return partFilter_; }
    bool sheetShown() const;
    /// For the line at the bottom: what runs, and how it is stopped.
    Background& background() { return background_; }

public Q_SLOTS:
    void bindSelected();
    void bindAll();
    void unbindSelected();
    void holdSelected();
    void toggleOptions();
    void takeOptionNumber(int number);
    /// Asks for a new need; `line` is what the line begins with.
    void addNeed(const QString& line = {});
    void editNeed();
    void copyNeed();
    void removeSelected();
    /// Lists ways out of contention in place of the needs; the picture shows the current one. Enter takes it, Escape
    /// leaves.
    void untangle();
    /// Lists the parts of the library with where each would stand. Enter adds one bound, Shift+Enter with its needs
    /// open.
    void addPart();
    void leaveProposals();
    void toggleSheet();
    void exportPicture();
    void exportSheet();
    /// The pins by net, for whoever draws the board.
    void exportNets();
    /// `path` is the file of the nets; empty for what was pasted.
    void readNets(const std::string& bytes, const QString& from, const QString& path = {});
    /// The reference of the chip as the person chooses it, empty where it is plain or the text is no netlist; nothing
    /// when the question is closed.
    std::optional<std::string> chipInNetlist(const std::string& bytes, const QString& from, const Device& device);
    /// Shows how a table is understood, and takes its nets when the person agrees.
    void readNetTable(const std::string& bytes, const QString& from, const QString& path);
    void readNetsFromFile();
    /// Shows what a netlist or a table would change, and changes it when the person agrees.
    void takeNetsFrom(const QString& path);
    void pasteNets();

Q_SIGNALS:
    void told(const QString& message); ///< what was done, and how well

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void bindOne(const std::string& need);
    void toggleHold(const Place& place);
    void propose(const QString& heading, const QString& note, std::vector<Proposal> proposals);
    void proposeFreeing(const std::string& why);
    /// The best places for all so far, while the search goes on.
    void showBestSoFar();
    void takeBest(const BoundAll& all, const std::string& why);
    void previewRow(int row);
    void filterParts();
    void showPicture();

    Document& document_;
    ViewState& view_;
    OptionFinder& finder_;
    Background background_{this};

    QStackedWidget* left_ = nullptr; ///< needs, or proposals
    QLabel* proposalHeading_ = nullptr;
    QLabel* proposalNote_ = nullptr;
    QLineEdit* partFilter_ = nullptr;
    ProposalList* proposals_ = nullptr;
    std::vector<Proposal> parts_;  ///< all that the filter chooses from
    std::optional<BoundAll> best_; ///< while places for all are looked for
    NeedsList* needs_ = nullptr;
    QStackedWidget* middle_ = nullptr; ///< picture, or sheet
    ChipView* chip_ = nullptr;
    PinSheetView* sheet_ = nullptr;
};

} // namespace bindrel
