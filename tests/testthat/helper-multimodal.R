# Published problems with many optima, known best values, and search boxes that are not centred on the answer. `f` takes a
# plain vector.

multimodal <- list()
vector_box <- function(n, low, high) stats::setNames(rep(list(c(low, high)), n), paste0("x", seq_len(n)))

multimodal$rastrigin_10 <- list(f = function(x) sum(x^2 - 10 * cos(2 * pi * x) + 10), box = vector_box(10, -3, 7), best = 0)
multimodal$ackley_20 <- list(
  f = function(x) -20 * exp(-0.2 * sqrt(mean(x^2))) - exp(mean(cos(2 * pi * x))) + 20 + exp(1), box = vector_box(20, -20, 40), best = 0
)
multimodal$griewank_10 <- list(
  f = function(x) sum(x^2) / 4000 - prod(cos(x / sqrt(seq_along(x)))) + 1, box = vector_box(10, -300, 600), best = 0
)
multimodal$schwefel_10 <- list(
  f = function(x) 418.98288727243369 * length(x) - sum(x * sin(sqrt(abs(x)))), box = vector_box(10, -500, 500), best = 0
)
multimodal$levy_10 <- list(
  f = function(x) {
    w <- 1 + (x - 1) / 4
    n <- length(w)
    sin(pi * w[1])^2 + sum((w[-n] - 1)^2 * (1 + 10 * sin(pi * w[-n] + 1)^2)) + (w[n] - 1)^2 * (1 + sin(2 * pi * w[n])^2)
  },
  box = vector_box(10, -6, 12), best = 0
)
multimodal$branin <- list(
  f = function(x) (x[2] - 5.1 / (4 * pi^2) * x[1]^2 + 5 / pi * x[1] - 6)^2 + 10 * (1 - 1 / (8 * pi)) * cos(x[1]) + 10,
  box = list(x1 = c(-5, 10), x2 = c(0, 15)), best = 0.39788735772973816
)
multimodal$six_hump_camel <- list(
  f = function(x) (4 - 2.1 * x[1]^2 + x[1]^4 / 3) * x[1]^2 + x[1] * x[2] + (-4 + 4 * x[2]^2) * x[2]^2,
  box = list(x1 = c(-2, 4), x2 = c(-1, 3)), best = -1.0316284534898774
)
multimodal$goldstein_price <- list(
  f = function(x) {
    (1 + (x[1] + x[2] + 1)^2 * (19 - 14 * x[1] + 3 * x[1]^2 - 14 * x[2] + 6 * x[1] * x[2] + 3 * x[2]^2)) *
      (30 + (2 * x[1] - 3 * x[2])^2 * (18 - 32 * x[1] + 12 * x[1]^2 + 48 * x[2] - 36 * x[1] * x[2] + 27 * x[2]^2))
  },
  box = list(x1 = c(-2, 3), x2 = c(-2, 2.5)), best = 3
)
hartmann_a <- rbind(c(10, 3, 17, 3.5, 1.7, 8), c(0.05, 10, 17, 0.1, 8, 14), c(3, 3.5, 1.7, 10, 17, 8), c(17, 8, 0.05, 10, 0.1, 14))
hartmann_p <- 1e-4 * rbind(
  c(1312, 1696, 5569, 124, 8283, 5886), c(2329, 4135, 8307, 3736, 1004, 9991), c(2348, 1451, 3522, 2883, 3047, 6650), c(4047, 8828, 8732, 5743, 1091, 381)
)
multimodal$hartmann_6 <- list(
  f = function(x) -sum(c(1, 1.2, 3, 3.2) * exp(-rowSums(hartmann_a * sweep(hartmann_p, 2, x)^2))), box = vector_box(6, 0, 1), best = -3.322368011391339
)
shekel_c <- c(0.1, 0.2, 0.2, 0.4, 0.4, 0.6, 0.3, 0.7, 0.5, 0.5)
shekel_a <- rbind(
  c(4, 4, 4, 4), c(1, 1, 1, 1), c(8, 8, 8, 8), c(6, 6, 6, 6), c(3, 7, 3, 7), c(2, 9, 2, 9), c(5, 5, 3, 3), c(8, 1, 8, 1), c(6, 2, 6, 2), c(7, 3.6, 7, 3.6)
)
multimodal$shekel_10 <- list(
  f = function(x) -sum(1 / (rowSums(sweep(shekel_a, 2, x)^2) + shekel_c)), box = vector_box(4, 0, 10), best = -10.536409816692043
)
multimodal$michalewicz_10 <- list(
  f = function(x) -sum(sin(x) * sin(seq_along(x) * x^2 / pi)^20), box = vector_box(10, 0, pi), best = -9.6601517156413
)
multimodal$styblinski_tang_8 <- list(
  f = function(x) sum(x^4 - 16 * x^2 + 5 * x) / 2, box = vector_box(8, -5, 5), best = -39.16616570377142 * 8
)

multimodal_problem <- function(case) {
  f <- case$f
  posed <- pose(function(p) f(unname(p)), parameters = names(case$box))
  do.call(search_within, c(list(posed), case$box))
}
