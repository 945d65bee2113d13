# Published test problems under conditions, with known answers (Hock and Schittkowski, 1981, Lecture Notes in
# Economics and Mathematical Systems 187): numbers as there.
constrained <- list(
  "6, nonlinear equality" = list(f = function(p) (1 - p[["x1"]])^2, start = c(x1 = -1.2, x2 = 1), conditions = "10 * (x2 - x1^2) == 0", value = 0),
  "7, nonlinear equality" = list(
    f = function(p) log(1 + p[["x1"]]^2) - p[["x2"]], start = c(x1 = 2, x2 = 2),
    conditions = "(1 + x1^2)^2 + x2^2 == 4", value = -sqrt(3)
  ),
  "10, nonlinear inequality" = list(
    f = function(p) p[["x1"]] - p[["x2"]], start = c(x1 = -10, x2 = 10),
    conditions = "-3 * x1^2 + 2 * x1 * x2 - x2^2 + 1 >= 0", value = -1
  ),
  "11, nonlinear inequality" = list(
    f = function(p) (p[["x1"]] - 5)^2 + p[["x2"]]^2 - 25, start = c(x1 = 4.9, x2 = 0.1),
    conditions = "x2 >= x1^2", value = -8.498464223
  ),
  "12, nonlinear inequality" = list(
    f = function(p) 0.5 * p[["x1"]]^2 + p[["x2"]]^2 - p[["x1"]] * p[["x2"]] - 7 * p[["x1"]] - 7 * p[["x2"]], start = c(x1 = 0, x2 = 0),
    conditions = "4 * x1^2 + x2^2 <= 25", value = -30
  ),
  "14, linear equality, nonlinear inequality" = list(
    f = function(p) (p[["x1"]] - 2)^2 + (p[["x2"]] - 1)^2, start = c(x1 = 2, x2 = 2),
    conditions = c("x1 - 2 * x2 + 1 == 0", "0.25 * x1^2 + x2^2 <= 1"), value = 9 - 2.875 * sqrt(7)
  ),
  "15, bound and nonlinear inequalities" = list(
    f = function(p) 100 * (p[["x2"]] - p[["x1"]]^2)^2 + (1 - p[["x1"]])^2, start = c(x1 = -2, x2 = 1),
    conditions = c("x1 * x2 >= 1", "x1 + x2^2 >= 0", "x1 <= 0.5"), value = 306.5
  ),
  "21, linear inequality and bounds" = list(
    f = function(p) 0.01 * p[["x1"]]^2 + p[["x2"]]^2 - 100, start = c(x1 = -1, x2 = -1),
    conditions = c("10 * x1 - x2 >= 10", "between(x1, 2, 50)", "between(x2, -50, 50)"), value = -99.96
  ),
  "22, linear and nonlinear inequality" = list(
    f = function(p) (p[["x1"]] - 2)^2 + (p[["x2"]] - 1)^2, start = c(x1 = 2, x2 = 2), conditions = c("x1 + x2 <= 2", "x2 >= x1^2"), value = 1
  ),
  "26, degenerate, nonlinear equality" = list(
    f = function(p) (p[["x1"]] - p[["x2"]])^2 + (p[["x2"]] - p[["x3"]])^4, start = c(x1 = -2.6, x2 = 2, x3 = 2),
    conditions = "(1 + x2^2) * x1 + x3^4 == 3", value = 0
  ),
  "28, linear equality" = list(
    f = function(p) (p[["x1"]] + p[["x2"]])^2 + (p[["x2"]] + p[["x3"]])^2, start = c(x1 = -4, x2 = 1, x3 = 1),
    conditions = "x1 + 2 * x2 + 3 * x3 == 1", value = 0
  ),
  "35, linear inequality and bounds" = list(
    f = function(p) {
      9 - 8 * p[["x1"]] - 6 * p[["x2"]] - 4 * p[["x3"]] + 2 * p[["x1"]]^2 + 2 * p[["x2"]]^2 + p[["x3"]]^2 +
        2 * p[["x1"]] * p[["x2"]] + 2 * p[["x1"]] * p[["x3"]]
    }, start = c(x1 = 0.5, x2 = 0.5, x3 = 0.5), conditions = c("x1 + x2 + 2 * x3 <= 3", "x1 >= 0", "x2 >= 0", "x3 >= 0"), value = 1 / 9
  ),
  "39, nonlinear equalities" = list(
    f = function(p) -p[["x1"]], start = c(x1 = 2, x2 = 2, x3 = 2, x4 = 2), conditions = c("x2 - x1^3 - x3^2 == 0", "x1^2 - x2 - x4^2 == 0"), value = -1
  ),
  "43, nonlinear inequalities" = list(
    f = function(p) {
      p[["x1"]]^2 + p[["x2"]]^2 + 2 * p[["x3"]]^2 + p[["x4"]]^2 - 5 * p[["x1"]] - 5 * p[["x2"]] - 21 * p[["x3"]] + 7 * p[["x4"]]
    }, start = c(x1 = 0, x2 = 0, x3 = 0, x4 = 0),
    conditions = c(
      "x1^2 + x2^2 + x3^2 + x4^2 + x1 - x2 + x3 - x4 <= 8", "x1^2 + 2 * x2^2 + x3^2 + 2 * x4^2 - x1 - x4 <= 10",
      "2 * x1^2 + x2^2 + x3^2 + 2 * x1 - x2 - x4 <= 5"
    ), value = -44
  ),
  "48, linear equalities" = list(
    f = function(p) (p[["x1"]] - 1)^2 + (p[["x2"]] - p[["x3"]])^2 + (p[["x4"]] - p[["x5"]])^2, start = c(x1 = 3, x2 = 5, x3 = -3, x4 = 2, x5 = -2),
    conditions = c("x1 + x2 + x3 + x4 + x5 == 5", "x3 - 2 * (x4 + x5) == -3"), value = 0
  ),
  "65, nonlinear inequality and bounds" = list(
    f = function(p) (p[["x1"]] - p[["x2"]])^2 + (p[["x1"]] + p[["x2"]] - 10)^2 / 9 + (p[["x3"]] - 5)^2, start = c(x1 = -5, x2 = 5, x3 = 0),
    conditions = c("x1^2 + x2^2 + x3^2 <= 48", "between(x1, -4.5, 4.5)", "between(x2, -4.5, 4.5)", "between(x3, -5, 5)"), value = 0.9535288567
  ),
  "71, nonlinear equality and inequality, bounds" = list(
    f = function(p) p[["x1"]] * p[["x4"]] * (p[["x1"]] + p[["x2"]] + p[["x3"]]) + p[["x3"]], start = c(x1 = 1, x2 = 5, x3 = 5, x4 = 1),
    conditions = c("x1 * x2 * x3 * x4 >= 25", "x1^2 + x2^2 + x3^2 + x4^2 == 40", paste0("between(x", 1:4, ", 1, 5)")), value = 17.0140173
  ),
  "76, linear inequalities and bounds" = list(
    f = function(p) {
      p[["x1"]]^2 + 0.5 * p[["x2"]]^2 + p[["x3"]]^2 + 0.5 * p[["x4"]]^2 - p[["x1"]] * p[["x3"]] + p[["x3"]] * p[["x4"]] - p[["x1"]] - 3 * p[["x2"]] +
        p[["x3"]] - p[["x4"]]
    }, start = c(x1 = 0.5, x2 = 0.5, x3 = 0.5, x4 = 0.5),
    conditions = c("x1 + 2 * x2 + x3 + x4 <= 5", "3 * x1 + x2 + 2 * x3 - x4 <= 4", "x2 + 4 * x3 >= 1.5", paste0("x", 1:4, " >= 0")), value = -4.681818181
  )
)

constrained_problem <- function(case) {
  suppressMessages(pose(case$f, parameters = names(case$start)) |> start_from(case$start) |> subject_to(text = case$conditions))
}
