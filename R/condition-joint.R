# Conditions between parameters: what only some solvers can honour.

# Those that are no limits on single free parameters; bounds on tied parameters are among them. Conditions that say the same
# are one, and two that limit the same expression from both sides at the same place are an equality. `members` tells which
# sentences each stands for.
joint_conditions <- function(problem, status) {
  on_tied <- bounds_of(problem$conditions, names(status$tied))
  merged_conditions(c(status$others, on_tied))
}

merged_conditions <- function(conditions) {
  if (length(conditions) == 0) return(list())
  compared <- lapply(conditions, compared_expression)
  key <- vapply(compared, `[[`, character(1), "key")
  unname(lapply(split(seq_along(conditions), factor(key, unique(key))), function(places) {
    one <- conditions[[places[1]]]
    senses <- vapply(compared[places], `[[`, character(1), "sense")
    factors <- vapply(compared[places], `[[`, numeric(1), "factor")
    one$members <- list(
      text = vapply(conditions[places], `[[`, character(1), "text"), sense = vapply(conditions[places], `[[`, character(1), "sense"),
      factor = factors / factors[1]
    )
    if (length(unique(senses)) > 1) one$sense <- "=="
    one
  }))
}

# What a condition compares, as a key that is the same however it is written; by what that is multiplied in the condition as it
# stands, and on which side it is limited.
compared_expression <- function(condition) {
  turned <- c(">=" = "<=", "<=" = ">=", "==" = "==")
  if (is.null(condition$form)) {
    texts <- c(expression_text(condition$expr), expression_text(call("-", condition$right, condition$left)))
    factor <- if (order(texts, method = "radix")[1] == 1) 1 else -1
    key <- sort(texts, method = "radix")[1]
  } else {
    k <- condition$form$coefficients
    factor <- k[k != 0][[1]]
    key <- paste(signif(c(k, condition$form$constant) / factor, 12), collapse = " ")
  }
  list(key = key, factor = factor, sense = if (factor < 0) turned[[condition$sense]] else condition$sense)
}

# Conditions between parameters as the core takes them: equalities first, inequalities not negative.
joint_nodes <- function(joint, status) {
  if (length(joint) == 0) return(NULL)
  sense <- vapply(joint, `[[`, character(1), "sense")
  order <- order(sense != "==")
  collector <- node_collector(character(), status$free, c(unlist(as.list(status$fixed)), stats::setNames(Inf, "Inf")), status$tied)
  roots <- vapply(joint[order], function(c) collector$add(if (c$sense == "<=") call("-", c$expr) else c$expr), integer(1))
  list(
    nodes = collector$nodes(), roots = roots, n_equalities = sum(sense == "=="), sense = sense[order],
    members = lapply(joint[order], `[[`, "members")
  )
}

# Multipliers by the text of their conditions. What two sentences say together counts for each of them as if it alone said it.
joint_multipliers <- function(joint, multipliers) {
  if (is.null(joint) || length(multipliers) == 0) return(numeric())
  each <- Map(function(multiplier, sense, members) {
    # of the representative's expression, left minus right
    if (sense == "<=") multiplier <- -multiplier
    own <- multiplier / members$factor
    stats::setNames(ifelse(members$sense == "==", own, pmax(0, ifelse(members$sense == "<=", -own, own))), members$text)
  }, multipliers, joint$sense, joint$members)
  each <- unlist(unname(each))
  each[!duplicated(names(each))]
}
