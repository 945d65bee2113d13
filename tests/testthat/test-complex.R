# Complex numbers in models, against R's own.

test_that("expressions of complex numbers are written out right", {
  x <- c(0.3, 1.2, -0.4)
  a <- 0.7
  b <- -1.3
  own <- list(re = Re, im = Im, modulus = Mod, phase = Arg, conjugate = Conj, complex = function(a, b) base::complex(real = a, imaginary = b))
  expressions <- rlang::exprs(
    re((a + 2i * x)^3), im(exp(a * x * 1i) / (1 + b * 1i * x)), modulus(sqrt(x + 1i * a)), phase(conjugate(x + 2i)), re(tanh((a + 1i * b) * x)), im(log(complex(x, b))),
    re((2.5i)^0.8 * x), im(sinh(x + 1i) * cosh(a - 1i * x)), re((a + 1i)^(x + 2i)), im(-(x - 2i) + ifelse(x > 0, x * 1i, b)), re(1 / (1 + (1i * a * exp(x))^0.9)), re(x) + im(x) + modulus(b)
  )
  for (expr in expressions) {
    written <- tundrel:::without_complex(expr, "x")
    expect_false(tundrel:::speaks_complex(written))
    expect_equal(eval(written, list(x = x, a = a, b = b)), eval(expr, c(own, list(x = x, a = a, b = b))), tolerance = 1e-13, label = rlang::expr_text(expr))
  }
  # R's own names are understood
  for (pair in list(rlang::exprs(Mod(x + 2i), modulus(x + 2i)), rlang::exprs(Arg(Conj(x + 1i)), phase(conjugate(x + 1i))), rlang::exprs(Re(x * 2i) + Im(x * 2i), re(x * 2i) + im(x * 2i)))) {
    expect_identical(tundrel:::without_complex(pair[[1]], "x"), tundrel:::without_complex(pair[[2]], "x"))
  }
  # far out nothing overflows
  expect_equal(eval(tundrel:::without_complex(quote(re(tanh(x + 1i * x))), "x"), list(x = 500)), 1)
})

two_time_constants <- function(seed = 1) {
  frequency <- 10^seq(-1, 5, length.out = 49)
  w <- 2 * pi * frequency
  z <- 20 + 100 / (1 + 1i * w * 1e-3) + 50 / (1 + 1i * w * 0.5)
  noise <- withr::with_seed(seed, matrix(stats::rnorm(98, sd = 0.3), 49))
  list(frequency = frequency, z = z + noise[, 1] + 1i * noise[, 2])
}

test_that("real and imaginary part of a response of two time constants are fitted together", {
  truth <- c(r0 = 20, r1 = 100, t1 = 1e-3, r2 = 50, t2 = 0.5)
  cell <- two_time_constants()
  posed <- pose(as.data.frame(cell), z ~ r0 + r1 / (1 + 2i * pi * frequency * t1) + r2 / (1 + 2i * pi * frequency * t2)) |> subject_to(t1 < t2)
  run <- suppressMessages(fit_local(posed))
  expect_true(run$converged)
  off <- (coef(run)[names(truth)] - truth) / sqrt(diag(vcov(run)))[names(truth)]
  expect_true(all(abs(off) < 3.5))
  expect_match(tundrel:::model_text(posed), "1 + 2i * pi * frequency * t1", fixed = TRUE)
  # the same columns as a pair, the same sides by name, modulus and phase
  pair <- data.frame(frequency = cell$frequency, z_re = Re(cell$z), z_im = Im(cell$z))
  by_sides <- pose(pair, re(z) ~ re(r0 + r1 / (1 + 2i * pi * frequency * t1) + r2 / (1 + 2i * pi * frequency * t2)),
    im(z) ~ im(r0 + r1 / (1 + 2i * pi * frequency * t1) + r2 / (1 + 2i * pi * frequency * t2))) |> start_from(run) |> fit_local()
  expect_equal(coef(by_sides)[names(truth)], coef(run)[names(truth)], tolerance = 1e-8)
  columns <- pose(pair, complex(z_re, z_im) ~ r0 + r1 / (1 + 2i * pi * frequency * t1) + r2 / (1 + 2i * pi * frequency * t2)) |> start_from(run) |> fit_local()
  expect_equal(columns$value, run$value, tolerance = 1e-12)
  polar <- pose(pair, modulus(z) ~ modulus(r0 + r1 / (1 + 2i * pi * frequency * t1) + r2 / (1 + 2i * pi * frequency * t2))) |>
    start_from(coef(run)[names(truth)]) |> fit_local()
  expect_equal(polar$value, sum((Mod(cell$z) - fitted(polar))^2), tolerance = 1e-10)
  expect_equal(coef(polar), truth, tolerance = 0.05)
  path <- withr::local_tempfile(fileext = ".json")
  write_run(run, path)
  expect_identical(coef(read_run(path)), coef(run))
})

test_that("what is complex without a real part asked for is refused", {
  table <- data.frame(f = 1:5, y = 1:5, z = 1:5 + 1i)
  expect_refusal(pose(table, y ~ a / (1 + 1i * f)), "model", c("is complex", "re()"))
  expect_refusal(pose(table, y ~ re(gamma(a + 1i * f))), "model", c("gamma(a + 1i * f)", "not known for complex numbers"))
  expect_refusal(pose(transform(table, z_re = 1), re(z) ~ a), "measurements", "rename one")
})
