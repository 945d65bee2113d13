# Where distribution functions reach a probability.

quantile_digits <- 1e-10

# In each row the least value at which `share_below`, which never falls, is `p` or more. Sought from `from` outwards, by steps that begin with `width` and
# double, then between two values on its two sides; in rows that are `whole`, among whole numbers.
reached_in_rows <- function(share_below, p, from, width, whole) {
  on_grid <- function(x) ifelse(whole, floor(x), x)
  low <- high <- on_grid(from)
  below_low <- below_high <- share_below(low)
  width <- ifelse(whole, pmax(1, ceiling(width)), width)
  for (k in seq_len(1100)) {
    down <- (below_low >= p & is.finite(low)) %in% TRUE
    up <- (below_high < p & is.finite(high)) %in% TRUE & !down
    if (!any(down, up)) break
    to <- ifelse(down, low - width, high + width)
    below <- share_below(to)
    high[down] <- low[down]
    below_high[down] <- below_low[down]
    low[down] <- to[down]
    below_low[down] <- below[down]
    low[up] <- high[up]
    below_low[up] <- below_high[up]
    high[up] <- to[up]
    below_high[up] <- below[up]
    width <- 2 * width
  }
  # the secant between both ends, of which one that is kept twice counts by half (Illinois), and the middle now and then
  kept_low <- kept_high <- FALSE
  from_low <- below_low - p
  from_high <- below_high - p
  for (k in seq_len(200)) {
    open <- (high - low > ifelse(whole, 1, quantile_digits * pmax(abs(high), abs(low)))) %in% TRUE
    if (!any(open)) break
    secant <- high - from_high * (high - low) / (from_high - from_low)
    middle <- (low + high) / 2
    to <- on_grid(ifelse(k %% 5 == 0 | whole | !(secant > low & secant < high) %in% TRUE, middle, secant))
    off <- share_below(to) - p
    hit <- abs(off) <= quantile_digits / 100 * min(p, 1 - p) & !whole
    enough <- open & (off >= 0 | hit)
    short <- open & (off < 0 | hit)
    from_low <- ifelse(short, off, ifelse(enough & kept_low, from_low / 2, from_low))
    from_high <- ifelse(enough, off, ifelse(short & kept_high, from_high / 2, from_high))
    kept_low <- enough
    kept_high <- short
    high <- ifelse(enough, to, high)
    low <- ifelse(short, to, low)
  }
  high
}
