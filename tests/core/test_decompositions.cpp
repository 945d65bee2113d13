#include <catch2/catch.hpp>

#include "decompositions.h"

using namespace tundrel;
using Eigen::MatrixXd;
using Eigen::VectorXd;

TEST_CASE("a matrix without rows or columns has answers of no length, and none of its directions are taken") {
  for (const auto& [rows, columns] : {std::pair(0, 0), std::pair(0, 3), std::pair(3, 0)}) {
    const MatrixXd empty(rows, columns);
    INFO(rows << " rows, " << columns << " columns");
    CHECK(pivoted_rank(empty, 1e-10) == 0);
    CHECK(complement(empty, 1e-10) == MatrixXd::Identity(rows, rows));
    CHECK(pivoted_solution(empty, VectorXd::Zero(rows)) == VectorXd::Zero(columns));
    CHECK(shortest_solution(empty, VectorXd::Zero(rows)) == VectorXd::Zero(columns));
    CHECK(singular_values(empty).values.size() == 0);
    CHECK(singular_values(empty, true).v == MatrixXd::Identity(columns, columns));
    if (rows >= columns) CHECK(pivoted(empty, 1e-10).rank == 0);
    if (rows == columns) CHECK(symmetric_spectrum(empty).values.size() == 0);
  }
}
