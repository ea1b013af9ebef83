// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <QAbstractTableModel>

#include "document/document.h"

namespace va {

/// All paths as rows. Sorting is done here on plain numbers, so that thousands of rows sort at once.
class FeatureModel : public QAbstractTableModel {
    Q_OBJECT
  public:
    enum Column { state, name, frames, length, mean, worst, quality, drift, cover, mover, note, columns };
    explicit FeatureModel(Document& document, QObject* parent = nullptr);
    [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override {
        return parent.isValid() ? 0 : int(rows_.size());
    }
    [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override {
        return parent.isValid() ? 0 : columns;
    }
    [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
    [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    void sort(int column, Qt::SortOrder order) override;
    [[nodiscard]] int pathAt(int row) const { return rows_[size_t(row)].id; }
    [[nodiscard]] int rowOf(int pathId) const;
    [[nodiscard]] int setAsideCount() const { return aside_; }
    /// Shows the rows that all words agree with: parts of name or note, or comparisons of a column with a number
    /// (length, residual, worst, quality, drift, cover; < or >), "by:hand", "aside", "used".
    void setFilter(const QString& text);

  private:
    struct Row {
        int id = 0, first = 0, last = 0, length = 0, worstFrame = 0;
        double mean = -1, worst = -1, quality = 0, drift = 0, cover = 0;
        int mover = 0;
        bool byHand = false, aside = false;
        QString name, note;
    };
    void rebuild();
    void order();
    Document& document_;
    [[nodiscard]] bool passes(const Row& row) const;
    void choose();
    std::vector<Row> all_, rows_;
    QStringList filter_;
    int aside_ = 0, sortColumn_ = mean;
    Qt::SortOrder sortOrder_ = Qt::DescendingOrder;
    std::vector<std::vector<int>> movers_;  ///< ids of each mover's paths when the rows were made
    const void* paths_ = nullptr;
    std::vector<const void*> solves_;  ///< of the scene and of every mover, when the rows were made
};

}  // namespace va
