# States along time, by the classic Runge-Kutta method in short steps: for simulated readings only.
integrate <- function(rates, begin, times, step) {
  at <- 0
  state <- begin
  t(vapply(times, function(time) {
    n <- max(1, ceiling((time - at) / step))
    h <- (time - at) / n
    for (i in seq_len(if (time > at) n else 0)) {
      r1 <- rates(state)
      r2 <- rates(state + h / 2 * r1)
      r3 <- rates(state + h / 2 * r2)
      r4 <- rates(state + h * r3)
      state <<- state + h / 6 * (r1 + 2 * r2 + 2 * r3 + r4)
    }
    at <<- time
    state
  }, begin))
}
