# Of more rows than can be told apart some are drawn, evenly along the axis and with the highest and the lowest reading; that is said.
# Nothing but the picture is thinned.

most_rows_drawn <- 20000

rows_to_draw <- function(along, y = numeric(), most = most_rows_drawn) {
  if (length(along) <= most) return(seq_along(along))
  evenly <- order(along)[unique(round(seq(1, length(along), length.out = most)))]
  sort(unique(c(evenly, which.min(y), which.max(y))))
}

thin_points <- function(points) points[rows_to_draw(points$x, points$response), ]

thinned_told <- function(n) if (n > most_rows_drawn) paste("about", format(most_rows_drawn, big.mark = ","), "of", format(n, big.mark = ","), "are drawn")
