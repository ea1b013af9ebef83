// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QLineEdit>
#include <QMap>
#include <QPlainTextEdit>
#include <QTableWidget>

#include "document/exchange_edits.h"
#include "inspector/page.h"

namespace va {

/// The step Export: what leaves, in which formats, how, and where to; what the next program must show; and what came of
/// each file when it was read back.
class ExportPage : public Page {
    Q_OBJECT
  public:
    explicit ExportPage(const PageContext& context);
    void refresh() override;

  private:
    void buildFormats();
    void buildChoices();
    void buildParts();
    [[nodiscard]] ExportChoices choices() const;
    [[nodiscard]] QStringList words() const;
    void showNextProgram();
    void showChosen();
    void showRun();

    Document& document_;
    ExchangeEdits& edits_;
    QLineEdit* folder_ = nullptr;
    QMap<QString, QCheckBox*> formats_;
    QComboBox *up_ = nullptr, *unit_ = nullptr, *first_ = nullptr, *order_ = nullptr;
    NumberField *filmBack_ = nullptr, *cloud_ = nullptr, *nearest_ = nullptr, *farthest_ = nullptr;
    QCheckBox *undistorted_ = nullptr, *layered_ = nullptr, *recentre_ = nullptr, *perFrame_ = nullptr,
              *onlyChosen_ = nullptr;
    QMap<QString, QCheckBox*> parts_;
    QPushButton* write_ = nullptr;
    QPlainTextEdit* next_ = nullptr;
    QLabel *lacks_ = nullptr, *report_ = nullptr;
    QTableWidget* files_ = nullptr;
};

}  // namespace va
