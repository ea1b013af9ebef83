// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once
#include <Eigen/Core>
#include <array>
#include <tuple>
#include <vector>

#include "solve/bundle/bordered_band.h"
#include "solve/bundle/bundle.h"
#include "solve/bundle/pair_sums.h"

namespace va {

/// A change of everything that a bundle solves.
struct BundleStep {
    Eigen::VectorXd
        views;  ///< viewSize() numbers a view: rotation, translation, logarithm of the focal length; as far as solved
    Eigen::VectorXd border;               ///< lens values, read-out time, tied points
    std::vector<Eigen::Vector3d> points;  ///< of all points; zero for those that stay
    double gain = 0;                      ///< decrease of the cost if the problem were linear
    double camerasGain = 0;               ///< of it what views and border bring, points settled around them
};

/// The Gauss–Newton normal equations of a bundle, with the points taken out.
///
/// What is left couples two views only where they share a point: a band for a shot, in which only views near in time
/// do (Triggs et al. 1999, section 6). Lens values, the read-out time and points that ties speak of concern all views:
/// they stand in a border of few full rows. Points are gathered into batches of sixteen that are seen by much the same
/// views, and a batch is subtracted from the band as one product of matrices.
///
/// The layout is made once for a problem; views, lenses and points may change between the calls, but not what is seen
/// in which view. No result depends on the number of threads.
class NormalEquations {
  public:
    NormalEquations(const BundleProblem& problem, const BundleOptions& options);

    /// ½ Σ of what is minimised; not finite when the problem is not.
    [[nodiscard]] double cost(const BundleProblem& problem) const;
    /// Takes the derivatives at the problem as it stands; the cost there.
    double linearise(const BundleProblem& problem);
    /// Solves with every diagonal entry raised by `damping` times itself. False when the matrix is not positive
    /// definite.
    bool solve(double damping, BundleStep& step);
    void apply(const BundleStep& step, BundleProblem& problem) const;

    /// For leaving parts of the observations out: these equations, and those of each part, are linearised and gathered
    /// once. `problem` of a part holds all views, lenses and points, and of each point that it observes all
    /// observations.
    double linearisePart(const BundleProblem& problem);
    /// Takes the points out, damped as in solve(), which does it by itself. The same for a whole and its parts.
    void gather(double damping);
    /// After gather() of both: the step of views and border without a part. False where the rest does not tell them.
    bool solveWithout(const NormalEquations& part, Eigen::VectorXd& views, Eigen::VectorXd& border) const;

    /// Moves every point to where it fits best while views and lenses stay (a step or two of Gauss–Newton), and gives
    /// the cost. After a long step of the cameras points are off by its square: settled around the new cameras they
    /// make the long narrow valleys of focal length against depth passable (embedded point iterations: Jeong, Nistér,
    /// Steedly, Szeliski & Kweon, PAMI 2012).
    double settlePoints(BundleProblem& problem) const;

    /// After linearise(): prepares covariance() and pointCovariance(). The world must be pinned down by fixed views or
    /// ties; what is still free gets a variance that is large and without meaning (a hair of damping keeps it finite).
    bool factorForCovariance();
    /// Joint covariance of the numbers of some views, in their order, and then the border, for whitened residuals of
    /// variance one.
    [[nodiscard]] Eigen::MatrixXd covariance(const std::vector<int>& views) const;
    /// After factorForCovariance(): the border's own normal matrix with views and points taken out.
    [[nodiscard]] const Eigen::MatrixXd& borderInformation() const { return reduced_.corner; }
    /// Of one point; the views' and the lens's part is in it. `joint` is the covariance() of all views in their order.
    /// Zero for a point that stays or is not seen.
    [[nodiscard]] Eigen::Matrix3d pointCovariance(const Eigen::MatrixXd& joint, int point) const;

    [[nodiscard]] int viewSize() const { return viewSize_; }
    [[nodiscard]] int borderSize() const { return borderSize_; }
    /// Of the last linearise(): Σ of squares of the whitened residuals as weighted by the loss, how many of them there
    /// are, and how many numbers are solved.
    [[nodiscard]] double sumSquares() const { return sumSquares_; }
    [[nodiscard]] long residualCount() const { return residualCount_; }
    [[nodiscard]] long unknownCount() const { return unknownCount_; }

  private:
    struct Jacobian {
        Eigen::Vector2d residual;  ///< whitened
        Eigen::Matrix<double, 2, 7> byCamera;
        Eigen::Matrix<double, 2, 3> byPoint;
        Eigen::Matrix<double, 2, 3 + mostLensValues + 1> byShared;  ///< solved lens values in their order, read-out
    };
    struct Batch {
        int first = 0, last = 0;  ///< in pointOrder_, one beyond the last
        int firstView = 0, lastView = 0;
        PackedRows product;          ///< Y: a row for each coordinate of each point, against the views
        std::vector<double> shared;  ///< the same against what is shared, row by row
    };
    void layOutPoints(const BundleProblem& p);
    void layOutBatches();
    /// Without `all` only the residual and its derivatives by the point.
    [[nodiscard]] Jacobian jacobianOf(const BundleProblem& p, const BundleProblem::Observation& o,
                                      bool all = true) const;
    [[nodiscard]] Eigen::Vector2d residualOf(const BundleProblem& p, const BundleProblem::Observation& o) const;
    [[nodiscard]] double priorCost(const BundleProblem& p) const;
    [[nodiscard]] double pointCost(const BundleProblem& p, int index) const;
    [[nodiscard]] Eigen::Vector3d along(const BundleProblem& p, int index, const Eigen::Vector3d& move) const;
    double settlePoint(BundleProblem& p, int index) const;
    [[nodiscard]] double zoomCurvature(const BundleProblem& p, int view, double* byFocal) const;
    [[nodiscard]] Eigen::Matrix3d tangentOf(const Eigen::Vector3d& point) const;
    void linearisePoint(const BundleProblem& p, int index, double& cost, double& weighed);
    void lineariseView(const BundleProblem& p, int view, Eigen::MatrixXd& sharedNormal,
                       Eigen::VectorXd& sharedGradient);
    double lineariseKept(const BundleProblem& p);
    double lineariseObservations(const BundleProblem& p);
    double linearisePriors(const BundleProblem& p);
    void fillBatch(Batch& b, double damping);
    void gatherViews(int begin, int end, double damping);
    bool reduce(double damping);
    std::array<double, 2> solvePoints(const Batch& b, double damping, BundleStep& step) const;
    [[nodiscard]] double damped(double diagonal, double damping) const;
    /// Where the parts of an observation's two rows in linear_ begin: derivatives by the point, residual, derivatives
    /// by the view, by what is shared.
    static constexpr int byPointAt = 0, residualAt = 3, byCameraAt = 4;
    [[nodiscard]] int bySharedAt() const { return byCameraAt + viewSize_; }
    [[nodiscard]] PairRows linear() const { return {linear_.data(), linearHalf_}; }
    /// Quads of residual and derivatives by view and by what is shared.
    [[nodiscard]] int linearQuads() const { return (1 + viewSize_ + lensColumns_ + 1 + 3) / 4; }

    BundleOptions options_;
    std::vector<LensValue> solved_;  ///< lens values
    bool ownFocal_ = false;          ///< a zoom: the last number of a view is the logarithm of its focal length
    int viewSize_ = 6, viewCount_ = 0, lensColumns_ = 0, sharedSize_ = 0, borderSize_ = 0, linearHalf_ = 0;
    int readoutAt_ = -1;                        ///< position in the border
    std::vector<int> order_;                    ///< observations of points that are taken out, by point, then view
    std::vector<int> viewOf_, lensOf_;          ///< by position in order_
    std::vector<int> pointOrder_;               ///< points that are taken out, by the views that see them
    std::vector<int> rankOf_;                   ///< one a point: position in pointOrder_, or −1
    std::vector<std::pair<int, int>> ofPoint_;  ///< begin and end in order_, by position in pointOrder_
    std::vector<std::vector<int>> byCamera_;    ///< positions in order_
    std::vector<int> keptAt_;                   ///< one a point: position in the border, or −1
    std::vector<int> keptObservations_;
    std::vector<Batch> batches_;
    std::vector<char> viewFree_;
    double farthest_ = 0;  ///< distance at which a point is only a direction

    // At the last linearise(). Of an observation in order_: by point, residual, by view, by shared; in x, then in y.
    std::vector<double> linear_;
    std::vector<Eigen::Matrix3d> pointNormal_;
    std::vector<Eigen::Matrix3d> pointTangent_;  ///< columns: directions that a point may move in
    std::vector<Eigen::Vector3d> pointGradient_;
    std::vector<double> pointShared_;  ///< shared × 3 a point
    Eigen::MatrixXd viewNormal_;       ///< viewSize_ rows: the diagonal blocks side by side
    Eigen::MatrixXd borderView_;       ///< border × views
    Eigen::MatrixXd borderNormal_;
    Eigen::VectorXd viewGradient_, borderGradient_;
    std::vector<std::tuple<int, int, double>> zoomEntries_;  ///< row, column, value; off the diagonal blocks
    bool part_ = false;  ///< the observations are a part of those of other equations
    double sumSquares_ = 0;
    long residualCount_ = 0, unknownCount_ = 0;

    // Of the last gather().
    BorderedBand reduced_;
    std::vector<Eigen::Matrix3d> pointFactor_;  ///< L of the damped 3 × 3 block
    std::vector<Eigen::Vector3d> pointRight_;   ///< L⁻¹ (−gradient)
};

}  // namespace va
