# What an expression calls and names, looked up without going through its parts in R.

test_that("words are those of R's own walk over expressions, in order, however deep they are", {
  expressions <- list(
    quote(a * exp(-b * x) + a), quote(f(x)(y) + pkg::g(z)), quote(top[site] * x), quote(x[, 1] + lag(y)), quote(`a b` + 2i), quote(5), quote(a),
    y ~ low + (top - low) / (1 + (x / ec50)^h), quote((function(u) u + 1)(x))
  )
  for (e in expressions) {
    words <- core_words(e)
    expect_identical(words$values, all.vars(e))
    if (!words$unnamed) expect_setequal(c(words$called, words$values), all.names(e))
    expect_identical(words$complex, identical(e, expressions[[5]]))
  }
  expect_identical(called_names(quote(f(g(x)) + f(y))), c("+", "f", "g"))
  expect_identical(called_names(quote(f(x)(y))), "")
  deep <- quote(a)
  for (k in seq_len(300000)) deep <- call("+", deep, quote(b))
  expect_identical(core_words(deep)[c("called", "values")], list(called = "+", values = c("a", "b")))
  # a name may be called and stand for a value
  expect_identical(core_words(quote(f(f)))[c("called", "values")], list(called = "f", values = "f"))
})
