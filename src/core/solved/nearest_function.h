// The distance of a reading from a curve, or where the curve is nearest, as a function of the reading and of what the curve depends on.
// The distance's derivatives need none of the place's: that is where it is least. Those of the place follow from this.
#pragma once
#include <memory>
#include <vector>

#include "nearest_search.h"

namespace tundrel {

class NearestFunction : public RowFunction {
 public:
  NearestFunction(std::shared_ptr<const NearestSearch> search, int output) : search_(std::move(search)), output_(output) {}

  void evaluate(const std::vector<Input>& inputs, double* out, int n) const override { search_->find(inputs, output_, out, n); }
  // In the reading and in what else the curve depends on; standard deviations and predictors are measurements, and have none.
  int partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const override;

 private:
  std::shared_ptr<const NearestSearch> search_;
  int output_;
};

}  // namespace tundrel
