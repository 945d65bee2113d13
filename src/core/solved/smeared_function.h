// What an instrument shows of a course that begins at zero: its convolution with the instrument's response, which was measured at some
// places and is a cubic spline between them, of area one, so that a long course comes through as it is.
#pragma once
#include <Eigen/Core>
#include <memory>
#include <mutex>
#include <vector>

#include "../expression/program.h"
#include "template.h"

namespace tundrel {

// A cubic on each piece from one place to the next.
struct Spline {
  std::vector<double> place;
  Eigen::MatrixXd powers;  // a row a piece: its coefficients, the constant first

  // Its derivative of some order; zero beyond its places.
  double at(double x, int order) const;
};

class ResponseFunction : public RowFunction {
 public:
  ResponseFunction(Spline spline, int order = 0) : spline_(std::move(spline)), order_(order) {}

  void evaluate(const std::vector<Input>& inputs, double* out, int n) const override;
  int partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const override;

 private:
  Spline spline_;
  int order_;
};

// Inputs: the place, then what else the course holds. The variable of the course is the distance from its beginning.
class SmearedFunction : public RowFunction {
 public:
  SmearedFunction(Template course, Spline response);

  void evaluate(const std::vector<Input>& inputs, double* out, int n) const override;
  int partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const override;

 private:
  Template course_;
  Spline spline_;
  Program program_;  // over one column, the distance
  std::shared_ptr<const ResponseFunction> response_;
  mutable std::mutex mutex_;
  mutable std::vector<std::shared_ptr<const SmearedFunction>> derivatives_;  // in the distance, then in the others
};

}  // namespace tundrel
