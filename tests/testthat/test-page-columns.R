# What the page shows of tables is there under the names by which it asks for it.

headers <- function(shown) {
  text <- as.character(shown)
  unique(gsub("<[^>]*>", "", unlist(regmatches(text, gregexpr("<th[^>]*>[^<]*</th>", text)))))
}

test_that("models are shown with their weights and prediction errors, and with what the table comes to", {
  skip_if_not_installed("htmltools")
  set.seed(3)
  data <- data.frame(x = 1:12, y = 5 * exp(-(1:12) / 4) + rnorm(12, 0, 0.05))
  ranking <- tundrel:::ranked_at_page(data, y ~ x)
  shown <- tundrel:::view_ranking(list(value = ranking))
  expect_true(all(c("model", "n_free", "aicc_weight", "prediction_error", "remark") %in% headers(shown)))
  expect_match(as.character(shown), "A ranking cannot tell which process is at work", fixed = TRUE)
  expect_no_match(as.character(shown), ">NA<|>NaN<")

  falling <- suppressMessages(fit_local(pose(data, y ~ a * exp(-k * x))))
  straight <- suppressMessages(fit_local(pose(data, y ~ a + b * x)))
  compared <- suppressMessages(compare_models(falling, straight))
  found <- list(comparison = list(value = list(models = list(table = compared, reading = tundrel:::models_reading(compared)))))
  state <- list(asked = list(list(id = 1), list(id = 2)))
  shown <- tundrel:::view_comparison(state, list(`1` = list(run = falling), `2` = list(run = straight)), found)
  expect_true(all(c("model", "n_free", "sigma", "aicc", "aicc_weight", "prediction_error") %in% headers(shown)))
  expect_match(as.character(shown), "falling is best by AICc", fixed = TRUE)
})
