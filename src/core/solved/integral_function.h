// The integral of an expression over one variable, adaptively, between ends that may be infinite. Derivatives under the integral.
#pragma once
#include <memory>
#include <mutex>

#include "../expression/program.h"
#include "template.h"

namespace tundrel {

// Inputs: the ends, then what else the integrand holds.
class IntegralFunction : public RowFunction {
 public:
  explicit IntegralFunction(Template integrand);

  void evaluate(const std::vector<Input>& inputs, double* out, int n) const override;
  int partial(Graph& graph, int self, const std::vector<int>& inputs, int which) const override;

 private:
  Template integrand_;
  Program program_;  // over one column, the variable
  // Integrals of its derivatives, each made when first asked for: so that equal ones are one.
  mutable std::mutex mutex_;
  mutable std::vector<std::shared_ptr<const IntegralFunction>> derivatives_;
};

}  // namespace tundrel
