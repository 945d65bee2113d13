// Keeps the state of what can be visited, or puts it back.
#pragma once
#include <map>
#include <string>

#include "solver.h"

namespace tundrel {

struct Snapshot : StateVisitor {
  bool put_back = false;
  std::map<std::string, double> numbers;
  std::map<std::string, Eigen::VectorXd> vectors;
  std::map<std::string, Eigen::MatrixXd> matrices;
  void field(const char* n, double& x) override { put_back ? void(x = numbers.at(n)) : void(numbers[n] = x); }
  void field(const char* n, Eigen::VectorXd& x, Eigen::Index) override { put_back ? void(x = vectors.at(n)) : void(vectors[n] = x); }
  void field(const char* n, Eigen::MatrixXd& x, Eigen::Index, Eigen::Index) override { put_back ? void(x = matrices.at(n)) : void(matrices[n] = x); }
};

}  // namespace tundrel
