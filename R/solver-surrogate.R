#' Search by a model of the criterion
#'
#' A global solver for criteria whose values are costly: a simulation, an instrument, a night at the bench. After some points that fill the
#' search box each further call is made where a Gaussian process, learnt from all values so far, expects the greatest improvement on the best.
#' Lengths over which values resemble each other are found for each parameter by restricted likelihood, and so is the scale on which values are
#' modelled, where they span orders of magnitude. Calls that fail are learnt as a probability of success; conditions between parameters hold at every
#' point that is called. Typically it needs tens of calls where other global solvers need thousands (`bench/costly.R`); but to choose
#' a call takes time of its own: milliseconds at first, seconds after some hundreds.
#'
#' @param first \[integer(1)] Calls that fill the box before the model is asked; at least 2. `NULL`: two more than twice the parameters.
#' @param batch \[integer(1)] Points of one round, to be called at the same time: as many as there are workers, or places at the bench. With workers
#'   of the future package no one waits for the slowest: as soon as a value is there the next point is chosen, in view of those that are still to come.
#'   Which these are depends on how long calls take, so that a search by several workers is not repeated by its seed.
#' @param noise \[numeric(1)] Standard deviation of values, in their unit, where a call at the same point would give another value. 0 for values without noise;
#'   `NULL` lets the values tell. Where there is noise the answer is the point that the model expects to be best, with the value that it expects, and
#'   not the luckiest call.
#' @param improvement \[numeric(1)] A search ends where no more improvement than this is expected anywhere, as a share of what lies between the best value
#'   and the middle one. Then quadratic models walk to the bottom of the valley, and the search begins anew.
#' @param agreeing \[integer(1)] How many searches have to reach the same point before it is enough; 1 for a single search. After ten that disagree it ends, too.
#' @param ... Not used. A mistyped argument is refused, with the one that was probably meant.
#'
#' @return A solver for [fit_global()], of class `tundrel_solver`.
#' @references Jones, Schonlau and Welch (1998) Journal of Global Optimization 13, 455-492. Rasmussen and Williams (2006) Gaussian Processes for Machine
#'   Learning. Huang, Allen, Notz and Zeng (2006) Journal of Global Optimization 34, 441-466, on noise. Ginsbourger, Le Riche and Carraro (2010) Computational
#'   Intelligence in Expensive Optimization Problems, 131-162, on several points at once.
#' @section Errors: `tundrel_error_argument` for settings outside their range.
#' @seealso [propose()] for values from outside.
#' @export
#' @examples
#' slow <- function(p) (p["heat"] - 30)^2 / 100 + sin(p["heat"] / 5) + (p["salt"] - 2)^2
#' pose(slow, parameters = c("heat", "salt")) |>
#'   search_within(heat = c(0, 80), salt = c(0, 5)) |>
#'   fit_global(solver_surrogate(), seed = 1, max_evaluations = 60)
solver_surrogate <- function(first = NULL, batch = 1, noise = NULL, improvement = 1e-4, agreeing = 2, ...) {
  refuse_unknown(...)
  made <- new_solver("surrogate", first = first, batch = batch, noise = noise, improvement = improvement, agreeing = agreeing)
  # a few times as many calls as there are parameters, and not thousands
  made$frugal <- TRUE
  made
}
