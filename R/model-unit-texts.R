# Units as texts: "umol m-2 s-1", "mg/mL", "1/h". A unit is a named vector of exponents, a name for each symbol; a plain number has none.

# "1" and these say that a column holds plain numbers.
plain_number_units <- c("1", "-", "none", "dimensionless", "unitless", "rad", "radian", "radians", "ph")

superscripts <- c("\u2070", "\u00b9", "\u00b2", "\u00b3", "\u2074", "\u2075", "\u2076", "\u2077", "\u2078", "\u2079", "\u207b")

# What cannot be taken apart is one symbol, whatever it means.
parse_unit <- function(text) {
  text <- trimws(enc2utf8(text))
  if (tolower(text) %in% plain_number_units) return(numeric())
  whole <- stats::setNames(1, text)
  for (k in seq_along(superscripts)) text <- gsub(superscripts[k], c(0:9, "-")[k], text, fixed = TRUE)
  text <- gsub("**", "^", text, fixed = TRUE)
  in_brackets <- "/ *\\(([^()/]*)\\)$"
  # a space after a slash could be meant both ways
  unclear <- grepl("/.*[ \u00b7*]", text) && !grepl(in_brackets, text)
  parts <- strsplit(sub(in_brackets, "/\\1", text), " */ *")[[1]]
  if (unclear || length(parts) == 0 || grepl("^log|^ln", text) || any(grepl("[()]", parts))) return(whole)
  factors <- lapply(parts, function(part) parse_factors(trimws(part)))
  if (identical(parts[1], "1")) factors[[1]] <- numeric()
  if (any(vapply(factors, is.null, NA))) return(whole)
  Reduce(function(a, b) unit_product(a, b, -1), factors)
}

# "mol L-1", without a slash; NULL for what is something else.
parse_factors <- function(text) {
  found <- regmatches(parts <- strsplit(text, " *[ \u00b7*] *")[[1]], regexec("^([^0-9^+() -]+?)(\\^?(-?[0-9]+([.][0-9]+)?))?$", parts, perl = TRUE))
  if (length(found) == 0 || any(lengths(found) == 0)) return(NULL)
  powers <- vapply(found, function(one) if (nzchar(one[4])) as.numeric(one[4]) else 1, 1)
  unit_product(numeric(), stats::setNames(powers, vapply(found, `[`, "", 2)))
}

# The product of a unit and a power of another.
unit_product <- function(a, b, power = 1) {
  names <- union(names(a), names(b))
  out <- stats::setNames(numeric(length(names)), names)
  out[names(a)] <- a
  out[names(b)] <- out[names(b)] + power * b
  out[abs(out) > 1e-9]
}

exponent_text <- function(x) {
  for (below in 1:6) {
    if (abs(x * below - round(x * below)) < 1e-7) {
      if (below == 1) return(format(round(x)))
      return(paste0(round(x * below), "/", below))
    }
  }
  format(signif(x, 4))
}

# As a text; exponents may be texts themselves. `known` are units by their texts as the measurements have them, which are used again.
unit_text <- function(unit, known = list(), exponents = vapply(unit, exponent_text, "")) {
  if (length(unit) == 0) return("1")
  for (text in names(known)) {
    same <- known[[text]]
    if (setequal(names(same), names(unit)) && all(vapply(same, exponent_text, "") == exponents[names(same)])) return(text)
  }
  below <- startsWith(exponents, "-")
  slash <- any(below) && !any(grepl("[a-zA-Z](\\^?-[0-9]|\u207b)", names(known)))
  if (!slash) return(paste(power_text(names(unit), exponents)[order(below)], collapse = " "))
  above <- if (all(below)) "1" else paste(power_text(names(unit), exponents)[!below], collapse = " ")
  under <- paste(power_text(names(unit), sub("^-", "", exponents))[below], collapse = " ")
  paste0(above, "/", if (sum(below) > 1) paste0("(", under, ")") else under)
}

# "m2", "s-1", "nM^n", "h^(1/2)"
power_text <- function(symbols, exponents) {
  whole <- grepl("^-?[0-9]+$", exponents)
  one_word <- grepl("^[a-zA-Z._][a-zA-Z0-9._]*$", exponents)
  ifelse(exponents == "1", symbols, paste0(symbols, ifelse(whole, exponents, ifelse(one_word, paste0("^", exponents), paste0("^(", exponents, ")")))))
}

# Symbols that mean one thing in every laboratory; the others may stand for anything ("A" for ampere or absorbance, "C" for a
# temperature or a charge), and nothing is concluded from them.
sure_units <- c("s", "min", "h", "d", "m", "g", "mol", "L", "l", "K", "J", "N", "Pa", "W", "V", "Hz", "kat", "lx")
sure_prefixes <- c("", "k", "m", "u", "n", "p")
sure_others <- c(
  hour = "h", hours = "h", hr = "h", minute = "min", minutes = "min", second = "s", seconds = "s", sec = "s", day = "d", days = "d",
  cm = "cm", dm = "dm", dL = "dL", cL = "cL", hPa = "hPa", MPa = "MPa", MJ = "MJ", GHz = "GHz", MHz = "MHz", MW = "MW", kV = "kV",
  "\u00b0C" = "K", degC = "K"
)

# In symbols that the units package reads, or NA.
sure_symbol <- function(symbol) {
  if (symbol %in% names(sure_others)) return(sure_others[[symbol]])
  plain <- sub("^[\u00b5\u03bc]", "u", symbol)
  if (grepl("^[munp]?M$", plain)) return(paste0(sub("M$", "mol", plain), " L-1"))
  for (base in sure_units) {
    # minutes, hours and days take no prefix
    prefixes <- if (base %in% c("min", "h", "d")) "" else sure_prefixes
    if (plain %in% paste0(prefixes, base)) return(plain)
  }
  NA_character_
}

# The same unit in such symbols, NULL where one is not sure.
sure_unit <- function(unit) {
  symbols <- vapply(names(unit), sure_symbol, "")
  if (!anyNA(symbols)) Reduce(function(a, k) unit_product(a, parse_unit(symbols[[k]]), unit[[k]]), seq_along(unit), numeric())
}

# Of these each has its own, so that nothing cancels among different ones.
unit_dimensions <- c(time = "^(min|h|d|[mun]?s)$", length = "^[kcdmun]?m$", mass = "^[kmunp]?g$", amount = "^[kmunp]?mol$", temperature = "^K$", volume = "^[cdmun]?[Ll]$")

never_cancel <- function(symbols) {
  of <- lapply(symbols, function(symbol) names(unit_dimensions)[vapply(unit_dimensions, grepl, NA, symbol)])
  all(lengths(of) == 1) && !anyDuplicated(replace(unlist(of), unlist(of) == "volume", "length"))
}

# Whether a product of units is 1: TRUE, FALSE, or NA where that cannot be known.
is_plain_number <- function(unit) {
  if (length(unit) == 0) return(TRUE)
  sure <- sure_unit(unit)
  if (is.null(sure)) return(NA)
  if (length(sure) == 0) return(TRUE)
  if (never_cancel(names(sure))) return(FALSE)
  if (any(abs(sure - round(sure)) > 1e-9) || !requireNamespace("units", quietly = TRUE)) return(NA)
  text <- units_package_text(sure)
  if (!units::ud_are_convertible(text, "1")) return(FALSE)
  abs(in_other_unit(1, text, "1") - 1) < 1e-6
}

units_package_text <- function(unit) if (length(unit) == 0) "1" else paste0(names(unit), ifelse(unit == 1, "", paste0("^", round(unit))), collapse = "*")

in_other_unit <- function(x, from, to) {
  as.double(units::set_units(units::set_units(as.double(x), from, mode = "standard"), to, mode = "standard"))
}
