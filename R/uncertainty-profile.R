# Intervals by profiles: at each end the fit, with everything else at its best, is just as much worse as chance allows.

# The quantities whose uncertainty is asked for: each with its `name`, `estimate`, `std_error` by curvature, the function
# that holds it, its limits, and for a free parameter that rests on a bound the side.
parameter_quantities <- function(run, names = NULL) {
  values <- coef(run)
  errors <- sqrt(diag(vcov.tundrel_run(run)))
  limits <- stated_limits(run$problem)
  sizes <- stats::setNames(compiled_at_start(run)$typical, names(run$estimate))
  lapply(names %||% names(values), function(name) {
    free <- name %in% run$status$free
    quantity <- list(
      name = name, estimate = values[[name]], std_error = errors[[name]], expression = as.symbol(name),
      lower = limits$lower[[name]], upper = limits$upper[[name]], lower_open = limits$lower_open[[name]], upper_open = limits$upper_open[[name]],
      rests = if (free) run$at_bound[[name]] else "", fixed = name %in% names(run$status$fixed),
      size = if (free) sizes[[name]] else abs(values[[name]])
    )
    c(quantity, hold = if (free) when_asked(hold_parameters(run, name)) else if (!quantity$fixed) hold_derived(run, quantity$expression))
  })
}

# Criteria with kinks have no solver for equalities between parameters.
hold_derived <- function(run, expression) {
  if (criterion_form(run$problem) == "kinked") return(NULL)
  when_asked(hold_expression(run, expression))
}

# A function that is made when it is called first: only profiles hold anything.
when_asked <- function(made) function(at, from) made(at, from)

# Both sides of a quantity's profile.
profile_of <- function(run, quantity, target) {
  root <- root_of_rise(run, quantity$hold, quantity)
  step <- first_step(quantity, target)
  walk <- function(side, limit, by_decades) profile_side(root, quantity$estimate, run$estimate, side, target, step, limit, quantity$size, by_decades)
  ran_away <- quantity$name %in% run$runaway
  grew <- ran_away || grew_without_limit(quantity, target)
  sides <- lapply(c(lower = -1, upper = 1), function(side) {
    limit <- reachable_limit(quantity, side)
    if (quantity$estimate == limit) return(list(end = limit, how = "limit", side = side, points = list(), noticed = character()))
    begin_unit(paste0("profile of ", quantity$name, if (side < 0) ", below" else ", above"))
    on.exit(end_unit())
    walked <- walk(side, limit, grew)
    if (ran_away && ends_with_numbers(walked, quantity, target)) walked[c("end", "how")] <- list(side * Inf, "open")
    if (!grew && leapt_over_zero(walked, quantity$estimate, root, run$estimate, target)) walked <- c(walk(side, limit, TRUE), zero_apart = TRUE)
    walked
  })
  c(sides, list(quantity = quantity, target = target, zero_apart = grew || any(vapply(sides, function(side) isTRUE(side$zero_apart), NA))))
}

# Whether the way out of a parameter that ran away leads at least twice as far without a worse fit, until the model's numbers end.
ends_with_numbers <- function(walked, quantity, target) {
  walked$how == "lost" && walked$side * quantity$estimate > 0 && highest_root(walked) < target && abs(walked$end) >= 2 * abs(quantity$estimate)
}

# So near to zero a constant by which something is divided makes itself felt, whatever it is measured in.
close_to_zero <- 1e-6

# Whether a side went over to the other sign although values close to zero fit badly, or cannot be fitted.
leapt_over_zero <- function(walked, estimate, root, x, target) {
  if (!walked$how %in% c("reached", "open", "limit") || !isTRUE(walked$end * estimate < 0)) return(FALSE)
  found <- or_partial(root(close_to_zero * estimate, x), list(root = 0))
  is.null(found) || found$root >= target
}

# No first step is longer than this many times the estimate.
longest_first_step <- 100
# So many times the size that was expected of it at the start is far.
far_from_start <- 1000

estimate_size <- function(quantity) {
  size <- max(abs(quantity$estimate), 0.01 * quantity$size)
  if (size == 0) 1 else size
}

first_step <- function(quantity, target) {
  step <- target * quantity$std_error
  if (is.finite(step) && step > 0) min(step, longest_first_step * estimate_size(quantity)) else 0.1 * estimate_size(quantity)
}

# An estimate that grew until it made no difference any more: what the data rule out lies many orders of magnitude nearer to zero.
grew_without_limit <- function(quantity, target) {
  abs(quantity$estimate) > far_from_start * quantity$size && !isTRUE(target * quantity$std_error < longest_first_step * estimate_size(quantity))
}

# An open limit is come as near to as a parameter may.
reachable_limit <- function(quantity, side) {
  limit <- if (side < 0) quantity$lower else quantity$upper
  open <- if (side < 0) quantity$lower_open else quantity$upper_open
  if (!is.finite(limit) || !open) return(limit)
  limit - side * min(1e-9 * quantity$size, abs(quantity$estimate - limit))
}

profile_rows <- function(run, quantities, level) {
  one <- function(quantity) {
    target <- quantity_reach(run, quantity, level)
    row <- function(lower, upper, remarks, profile = NULL) {
      list(row = uncertainty_row(quantity, NA_real_, lower, upper, level, "profile", remarks), profile = profile)
    }
    if (quantity$fixed) return(row(NA_real_, NA_real_, remark("fixed")))
    obstacle <- profile_obstacle(run, quantity, target)
    if (!is.null(obstacle)) return(row(NA_real_, NA_real_, remark(obstacle)))
    if (is_constant(quantity)) return(row(quantity$estimate, quantity$estimate, NULL))
    of_scale <- if (is_scale(run, quantity)) scale_ends(run$problem$criterion, run, quantity, level)
    if (!is.null(of_scale)) return(row(of_scale[1], of_scale[2], remark("chi_squared")))
    of_profile(profile_of(run, quantity, target))
  }
  of_profile <- function(profile) {
    quantity <- profile$quantity
    ends <- lapply(profile[c("lower", "upper")], profile_end, quantity = quantity)
    values <- c(ends$lower$value, ends$upper$value)
    flat <- all(vapply(profile[c("lower", "upper")], function(side) side$how == "open" && highest_root(side) < 0.1 * profile$target, logical(1)))
    remarks <- if (flat) remark("not_determined") else c(ends$lower$remarks, ends$upper$remarks)
    apart <- if (!is.null(profile$apart)) remark("second_stretch", format_number(profile$apart))
    second <- apart %||% or_partial(second_stretch(run, quantity, values, profile$target) %||% beyond_zero(run, quantity, values, profile$target, profile$zero_apart), NULL)
    list(row = uncertainty_row(quantity, NA_real_, values[1], values[2], level, "profile", c(remarks, second)), profile = profile)
  }
  # a budget, and who watches, are of this process; so are calls that are kept
  alone <- is_watched() || !is_compiled(run$problem)
  found <- if (alone) lapply(quantities, one) else lapply_shared(quantities, one)
  walked <- lapply(found, `[[`, "profile")
  further <- further_by_others(run, walked)
  moved <- which(!mapply(identical, walked, further))
  found[moved] <- lapply(further[moved], of_profile)
  profiles <- stats::setNames(lapply(found, `[[`, "profile"), vapply(quantities, `[[`, "", "name"))
  list(rows = lapply(found, `[[`, "row"), profiles = Filter(Negate(is.null), profiles))
}

# A quantity in which the parameters cancel out varies by rounding only.
cancelled_share <- 1e-12
is_constant <- function(quantity) !is.symbol(quantity$expression) && isTRUE(quantity$std_error <= cancelled_share * abs(quantity$estimate))

# Places looked at in a stated range, outside an interval.
places_outside <- 24

# Within a stated range there may be a second interval of values that the data do not rule out, for example of a frequency that they
# cannot distinguish from another.
second_stretch <- function(run, quantity, ends, target) {
  box <- stated_box(run$problem, list(lower = stats::setNames(quantity$lower, quantity$name), upper = stats::setNames(quantity$upper, quantity$name)), quantity$name)
  if (is.null(box) || !quantity$name %in% names(run$estimate) || !all(is.finite(ends))) return(NULL)
  root <- root_of_rise(run, quantity$hold, quantity)
  share <- (seq_len(places_outside) - 0.5) / places_outside
  at <- if (isTRUE(attr(box, "log"))) box[1] * (box[2] / box[1])^share else box[1] + share * diff(as.numeric(box))
  held <- lapply(at, function(value) root(value, run$estimate))
  roots <- vapply(held, function(found) if (is.null(found)) Inf else found$root, numeric(1))
  # from the lowest places between higher ones the fit is let go: it may end outside the interval, about as good
  low <- which(is.finite(roots) & (at < ends[1] | at > ends[2]) & roots <= c(Inf, utils::head(roots, -1)) & roots <= c(roots[-1], Inf))
  compiled <- compiled_at_answer(run)
  walk <- held_walker(run, joint_conditions(run$problem, run$status))
  best <- in_users_sign(run$problem, run$value)
  for (k in utils::head(low[order(roots[low])], 3)) {
    found <- walk(compiled, held[[k]]$x)
    if (is.null(found)) next
    there <- found$x[match(quantity$name, names(run$estimate))]
    outside <- there < ends[1] || there > ends[2]
    if (outside && (found$value - best) * root_scale(run) < target^2) return(remark("second_stretch", format_number(there)))
  }
  NULL
}

# What may be arbitrarily large may most often be so with the other sign, too, as a constant by which something is divided.
beyond_zero <- function(run, quantity, ends, target, zero_apart) {
  if (anyNA(ends) || !zero_apart) return(NULL)
  open <- is.infinite(ends) & c(quantity$lower, quantity$upper) == ends
  if (sum(open) != 1) return(NULL)
  root <- root_of_rise(run, quantity$hold, quantity)
  # the other sign may be ruled out as near to zero as the estimate is, and not further away
  for (mirrored in -quantity$estimate * 10^(0:3)) {
    if (mirrored < quantity$lower || mirrored > quantity$upper || mirrored > ends[1] && mirrored < ends[2]) return(NULL)
    found <- root(mirrored, run$estimate)
    if (!is.null(found) && found$root < target) return(remark("second_stretch", format_number(mirrored)))
  }
}

highest_root <- function(side) max(0, vapply(side$points, `[[`, numeric(1), "root"))

# The code of what stands against a profile; NULL where nothing does.
profile_obstacle <- function(run, quantity, target) {
  if (!tells_noise(run$problem)) return("value_alone")
  if (is_likelihood(run$problem) || !has_rows(run$problem)) {
    if (!is.finite(run$value)) return("not_finite")
  } else if (is.na(target)) {
    return("no_freedom")
  } else if (!isTRUE(sigma_of(run) > 0)) {
    return("no_residuals")
  } else if (is_compiled(run$problem) && is_exact_fit(run)) {
    # of a function of one's own this would be one more call
    return("exact_fit")
  }
  if (is.null(quantity$hold)) "kinks"
}

# One end of an interval, and what has to be said of it.
profile_end <- function(side, quantity) {
  below <- side$side < 0
  bound <- if (below) "lower" else "upper"
  where <- if (below) "below" else "above"
  remarks <- switch(side$how,
    limit = remark(paste0(if (quantity$rests == bound) "rests_" else "ends_", bound)),
    open = remark(paste0("open_", where)),
    lost = remark(paste0("lost_", where), format_number(side$end)),
    stopped = remark(paste0("stopped_", where), if (length(side$points) > 1) format_number(side$end) else ""),
    better = remark(paste0("better_", where))
  )
  value <- switch(side$how, reached = side$end, limit = quantity[[bound]], open = side$end, NA_real_)
  list(value = value, remarks = c(remarks, remark(side$noticed, rep("", length(side$noticed)))))
}
