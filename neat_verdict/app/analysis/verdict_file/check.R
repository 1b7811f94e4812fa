# Works a verdict out again from its counts: base R, and nothing of the application that gave it.
#
#     Rscript check.R [folder]      R 4 or newer, no packages; Windows, macOS, Linux
#
# Reads rule.csv, variants.csv, metrics.csv, counts.csv and looks.csv, and compares what follows from them with figures.csv.
# Ends with 1 where a figure that it covers differs by more than a millionth of itself. README.txt says whose methods these are.

TOLERANCE <- 1e-6
NEVER <- 38 # a critical value that nothing reaches

# What is in the file

read_table <- function(name) {
  read.csv(file.path(folder, name), colClasses = "character", na.strings = character(), encoding = "UTF-8", check.names = FALSE)
}
num <- function(text) suppressWarnings(as.numeric(ifelse(text == "", NA, text)))
isnum <- function(x) length(x) == 1 && !is.na(x) && is.finite(x)
root <- function(f, low, high) uniroot(f, c(low, high), tol = 1e-14, maxiter = 2000)$root

kept <- function(n, squares, terms) {
  lost <- squares > 0 && 1e-15 * sum(abs(terms)) > 0.01 * n * (squares / n)^1.5
  if (is.na(lost) || lost) NaN else sum(terms)
}

make_arm <- function(s, kind) {
  n <- s[["units"]]
  arm <- list(n = n, rate = kind == "rate", m = NaN, v = NaN, s2 = NaN, s3 = NaN, x = NaN)
  if (kind == "rate") {
    arm$x <- s[["conversions"]]
    if (n > 0) arm$m <- arm$x / n
  } else if (kind %in% c("mean", "adjusted") && n > 0) {
    y <- s[["total"]]
    arm$m <- y / n
    arm$s2 <- max(s[["squares"]] - y * arm$m, 0)
    arm$s3 <- kept(n, arm$s2, c(s[["cubes"]], -3 * arm$m * s[["squares"]], 2 * arm$m^2 * y))
    if (n > 1) arm$v <- arm$s2 / (n - 1) / n
  } else if (kind == "ratio" && s[["denominator"]] != 0) {
    b <- s[["denominator"]]
    r <- arm$m <- s[["numerator"]] / b
    arm$s2 <- max(s[["numerator_squares"]] - 2 * r * s[["cross"]] + r^2 * s[["denominator_squares"]], 0)
    arm$s3 <- kept(n, arm$s2, c(
      s[["numerator_cubes"]], -3 * r * s[["squares_cross"]], 3 * r^2 * s[["cross_squares"]], -r^3 * s[["denominator_cubes"]]
    ))
    if (n > 1) arm$v <- arm$s2 * n / (n - 1) / b^2
  }
  arm
}
comparable <- function(arm) if (arm$rate) arm$n > 0 else isnum(arm$v)

# y - b(x - c), x what a unit came to before (Lin 2013)
adjust <- function(arms) {
  some <- Filter(function(s) s[["units"]] > 0, arms)
  if (length(some) == 0) return(arms)
  within <- function(product, one, other) sum(sapply(some, function(s) s[[product]] - s[[one]] * s[[other]] / s[["units"]]))
  xx <- within("before_squares", "before", "before")
  yy <- within("squares", "total", "total")
  none <- xx <= 1e-12 * max(sum(sapply(some, `[[`, "before_squares")), 1e-300) || yy <= 0
  b <- if (none) 0 else within("cross", "total", "before") / xx
  centre <- sum(sapply(some, `[[`, "before")) / sum(sapply(some, `[[`, "units"))
  lapply(arms, function(s) {
    n <- s[["units"]]; y <- s[["total"]]; x <- s[["before"]]
    y2 <- s[["squares"]]; x2 <- s[["before_squares"]]; xy <- s[["cross"]]
    k <- b * centre
    total <- y - b * (x - centre * n)
    squares <- y2 - 2 * b * (xy - centre * y) + b^2 * (x2 - 2 * centre * x + centre^2 * n)
    third <- s[["cubes"]] - 3 * b * s[["squares_cross"]] + 3 * b^2 * s[["cross_squares"]] - b^3 * s[["before_cubes"]]
    cubes <- third + 3 * k * (y2 - 2 * b * xy + b^2 * x2) + 3 * k^2 * (y - b * x) + n * k^3
    list(units = n, total = total, squares = max(squares, if (n > 0) total^2 / n else 0), cubes = cubes)
  })
}

# Two rates: the score test, and the intervals that invert it, by root-finding

score_z <- function(one, other) {
  converted <- one$x + other$x
  whole <- one$n + other$n
  spread <- sqrt(converted / whole * ((whole - converted) / whole) * (1 / one$n + 1 / other$n))
  if (spread > 0) (one$m - other$m) / spread else 0
}

# Both rates with their complements (q, 1 - q, p, 1 - p) where the likelihood is largest: `rates` gives them along a logit, and
# `turn` is how fast the first changes where the other changes by 1.
likeliest <- function(one, other, rates, turn) {
  slope <- function(w) {
    r <- rates(w)
    v <- turn * (one$x / r[1] - (one$n - one$x) / r[2]) + other$x / r[3] - (other$n - other$x) / r[4]
    sign(v) * log1p(abs(v))
  }
  if (slope(-60) <= 0) rates(-Inf) else if (slope(60) >= 0) rates(Inf) else rates(root(slope, -60, 60))
}

z_of_difference <- function(one, other, delta) {
  width <- 1 - abs(delta)
  if (width <= 0) return(0)
  first <- max(delta, 0)
  second <- max(-delta, 0)
  # Sums of what is not negative, so that no digits are lost.
  r <- likeliest(one, other, function(w) {
    up <- width * plogis(w)
    down <- width * plogis(-w)
    c(first + up, second + down, second + up, first + down)
  }, 1)
  spread <- sqrt(r[1] * r[2] / one$n + r[3] * r[4] / other$n)
  gap <- one$m - other$m - delta
  if (spread > 0) gap / spread else if (gap != 0) sign(gap) * NEVER else 0
}

z_of_ratio <- function(one, other, theta) {
  r <- likeliest(one, other, function(w) {
    up <- plogis(w)
    down <- plogis(-w)
    if (theta <= 1) c(theta * up, 1 - theta + theta * down, up, down) else c(up, down, up / theta, (theta - 1 + down) / theta)
  }, theta)
  spread <- sqrt(r[1] * r[2] / one$n + theta^2 * r[3] * r[4] / other$n)
  if (spread > 0) (one$m - theta * other$m) / spread else 0
}

interval_of_rates <- function(one, other, crit) {
  gap <- one$m - other$m
  bound <- function(level, end) {
    f <- function(d) z_of_difference(one, other, d) - level
    if (f(gap) * f(end) > 0) return(end)
    # Roots near the estimate are looked for by their distance from it.
    gap + (end - gap) * exp(root(function(w) f(gap + (end - gap) * exp(w)), -40, 0))
  }
  ratio <- function(level) {
    f <- function(w) z_of_ratio(one, other, exp(w)) - level
    low <- -1
    high <- 1
    while (f(low) < 0 && low > -600) low <- 2 * low
    while (f(high) > 0 && high < 600) high <- 2 * high
    exp(root(f, low, high))
  }
  list(
    difference = c(bound(crit, -1 + 1e-12), bound(-crit, 1 - 1e-12)),
    lift = c(if (one$x > 0) ratio(crit) else 0, if (other$x > 0) ratio(-crit) else Inf) - 1
  )
}

wilson <- function(arm, crit) {
  half <- crit * sqrt(arm$x * (arm$n - arm$x) / arm$n + crit^2 / 4)
  (arm$x + crit^2 / 2 + c(-half, half)) / (arm$n + crit^2)
}

# Two means or ratios: Welch's test with the skewness taken out, and Fieller's interval

skewness <- function(one, other) {
  if (one$rate || is.na(one$s3) || is.na(other$s3) || one$s2 + other$s2 <= 0) return(NULL)
  n <- one$n + other$n
  of_values <- (one$s3 + other$s3) / n / ((one$s2 + other$s2) / n)^1.5
  of_values * (1 / one$n^2 - 1 / other$n^2) / (1 / one$n + 1 / other$n)^1.5
}
skewness_or_0 <- function(one, other) { a <- skewness(one, other); if (is.null(a)) 0 else a }
without <- function(t, a) t + a * t^2 / 3 + a^2 * t^3 / 27 + a / 6
skewed <- function(z, a) {
  if (!is.finite(z)) return(z)
  if (abs(a) < 1e-6) return(z - a * (1 + 2 * z^2) / 6)
  inner <- 1 + a * (z - a / 6)
  3 / a * (sign(inner) * abs(inner)^(1 / 3) - 1)
}
freedom <- function(one, other) {
  below <- one$v^2 / (one$n - 1) + other$v^2 / (other$n - 1)
  if (below > 0) max((one$v + other$v)^2 / below, 1) else Inf
}
welch_z <- function(one, other) {
  error <- sqrt(one$v + other$v)
  if (error == 0) return(0)
  t <- without((one$m - other$m) / error, skewness_or_0(one, other))
  tail <- pt(abs(t), freedom(one, other), lower.tail = FALSE)
  sign(t) * (if (tail > 1e-300) qnorm(tail, lower.tail = FALSE) else abs(t))
}
interval_of_means <- function(one, other, crit) {
  error <- sqrt(one$v + other$v)
  if (error == 0) return(list(difference = c(-Inf, Inf), lift = c(-Inf, Inf)))
  a <- skewness_or_0(one, other)
  f <- freedom(one, other)
  t <- if (is.finite(f)) qt(pnorm(-crit), f, lower.tail = FALSE) else crit
  reach <- c(skewed(t, a), -skewed(-t, a))
  difference <- one$m - other$m + c(-1, 1) * reach * error
  far <- max(reach^2)
  if (!(is.finite(far) && other$m > 0 && other$m^2 - far * other$v > 0)) return(list(difference = difference, lift = c(-Inf, Inf)))
  within <- one$v * other$m^2 + other$v * one$m^2 - reach^2 * one$v * other$v
  top <- one$m * other$m + c(-1, 1) * reach * sqrt(pmax(within, 0))
  list(difference = difference, lift = top / (other$m^2 - reach^2 * other$v) - 1)
}

# By what threshold

normal <- function(level) qnorm(level / 2, lower.tail = FALSE)

dunnett_p <- function(z, control, units, sides) {
  crit <- if (sides == "two") abs(z) else z
  if (length(units) == 1) return(pnorm(-crit) * (if (sides == "two") 2 else 1))
  loads <- sqrt(units / (units + control))
  beyond <- function(u) {
    inside <- 0
    for (load in loads) {
      rest <- sqrt(1 - load^2)
      outside <- pnorm((load * u - crit) / rest)
      if (sides == "two") outside <- outside + pnorm((-load * u - crit) / rest)
      inside <- inside + log1p(-pmin(outside, 1 - 1e-16))
    }
    -expm1(inside) * dnorm(u)
  }
  turns <- sort(unique(c(-9, 0, 9, pmin(crit / loads, 8.9), -pmin(crit / loads, 8.9))))
  parts <- sapply(seq_along(turns)[-1], function(k) integrate(beyond, turns[k - 1], turns[k], rel.tol = 1e-11, abs.tol = 0, subdivisions = 1000)$value)
  min(sum(parts), 1)
}

spent <- function(t, level, spending) {
  t <- min(t, 1)
  if (spending == "obrien_fleming") 4 * pnorm(qnorm(level / 4) / sqrt(t)) else level * log1p((exp(1) - 1) * t)
}

# Gauss-Legendre nodes and weights, from the eigenvalues of the recurrence (Golub & Welsch 1969)
gauss <- function(count) {
  k <- seq_len(count - 1)
  matrix_of <- matrix(0, count, count)
  matrix_of[cbind(k, k + 1)] <- matrix_of[cbind(k + 1, k)] <- k / sqrt(4 * k^2 - 1)
  made <- eigen(matrix_of, symmetric = TRUE)
  list(nodes = made$values, weights = 2 * made$vectors[1, ]^2)
}
GAUSS <- gauss(24)

boundary <- function(information, level, spending, final) {
  before <- 0
  t <- 0
  points <- 0
  mass <- 1
  values <- numeric()
  for (k in seq_along(information)) {
    now <- information[k]
    total <- if (final && k == length(information)) level else spent(now, level, spending)
    step <- sqrt(now - t)
    crossed <- function(crit) {
      edge <- crit * sqrt(now)
      sum((pnorm((points - edge) / step) + pnorm((-edge - points) / step)) * mass)
    }
    part <- total - before
    crit <- if (part > 1e-300) root(function(x) log(max(crossed(x), 1e-320)) - log(part), 0, NEVER) else NEVER
    values[k] <- crit
    edge <- min(crit, 8.5) * sqrt(now)
    panels <- max(2, ceiling(edge / (2 * step)))
    half <- edge / panels
    centres <- -edge + half * (2 * seq_len(panels) - 1)
    coming <- as.vector(outer(half * GAUSS$nodes, centres, `+`))
    weights <- rep(half * GAUSS$weights, panels)
    mass <- weights * as.vector(dnorm(outer(coming, points, `-`) / step) %*% mass) / step
    points <- coming
    before <- total
    t <- now
  }
  values
}

smallest_level <- function(size, rule) {
  excess <- function(w) { v <- boundary(rule$information, exp(w), rule$spending, rule$final); v[length(v)] - size }
  low <- log(1e-12)
  high <- log(1 - 1e-9)
  if (excess(high) > 0) 1 else if (excess(low) < 0) 1e-12 else exp(uniroot(excess, c(low, high), tol = 1e-10)$root)
}

each_level <- function(rule, comparisons, sides) {
  each <- (1 - rule$confidence) / comparisons
  if (sides == "one") min(2 * each, 1 - 1e-9) else each
}

threshold_of <- function(rule, units, sides) {
  shared <- length(units) - 1
  level <- 1 - rule$confidence
  if (rule$method == "fixed") {
    p <- function(z) dunnett_p(z, units[1], units[-1], sides)
    side <- if (sides == "one") 2 else 1
    value <- normal(side * level)
    if (shared > 1) value <- root(function(x) p(x) - level, value - 1e-9, normal(side * level / shared) + 1e-9)
    return(list(value = value, p = p))
  }
  values <- boundary(rule$information, each_level(rule, shared, sides), rule$spending, rule$final)
  p <- function(z) {
    if (sides == "one" && z <= 0) return(1)
    min(shared * smallest_level(abs(z), rule) / (if (sides == "one") 2 else 1), 1)
  }
  list(value = values[length(values)], p = p)
}

family <- function(pvalues, level, correction) {
  count <- length(pvalues)
  if (correction == "holm") {
    order_of <- order(pvalues)
    adjusted <- levels <- numeric(count)
    adjusted[order_of] <- pmin(cummax(pvalues[order_of] * (count:1)), 1)
    stands <- sum(adjusted <= level)
    levels[order_of] <- level / (count - pmin(seq_len(count) - 1, stands, count - 1))
    return(list(adjusted = adjusted, levels = levels))
  }
  adjusted <- p.adjust(pvalues, "BH")
  list(adjusted = adjusted, levels = rep(max(sum(adjusted <= level), 1) * level / count, count))
}

# A variant against control

statistic <- function(one, other) if (one$rate) score_z(one, other) else welch_z(one, other)

uneven <- function(one, other) {
  p <- (one$x + other$x) / (one$n + other$n)
  if (!(p > 0 && p < 1)) return(0)
  part <- (1 / one$n^2 - 1 / other$n^2) / (1 / one$n + 1 / other$n)^1.5
  min(max(part * (1 - 2 * p) / sqrt(p * (1 - p)), -1), 1)
}

compare <- function(one, other, crit, adjusted = NaN) {
  made <- (if (one$rate) interval_of_rates else interval_of_means)(one, other, crit)
  made$crit <- crit
  made$adjusted <- adjusted
  made$z <- statistic(one, other)
  made$p <- 2 * pnorm(-abs(made$z))
  made$difference_at <- one$m - other$m
  made$lift_at <- if (other$m > 0) one$m / other$m - 1 else NaN
  a <- skewness(one, other)
  made$trusted <- is.null(a) || abs(a) <= 0.4
  made$undefined <- !one$rate && !is.finite(made$lift[1])
  made$margin <- NaN
  made
}

z_at <- function(variant, control, lift) {
  if (variant$rate) return(min(max(z_of_ratio(variant, control, 1 + lift), -20), 20))
  seen <- if (control$m > 0) variant$m / control$m - 1 else NaN
  if (is.na(seen) || seen == lift) return(0)
  room <- function(crit) {
    bounds <- interval_of_means(variant, control, crit)$lift
    max(if (seen > lift) bounds[1] - lift else lift - bounds[2], -1)
  }
  size <- if (room(20) > 0) 20 else if (room(1e-9) < 0) 0 else root(room, 1e-9, 20)
  if (seen > lift) size else -size
}

against_margin <- function(variant, control, rule, threshold, side, a) {
  borders <- if (rule$question == "equivalence") c(-rule$margin, rule$margin) else -rule$margin
  inward <- min(sapply(borders, function(b) -b / rule$margin * side * z_at(variant, control, side * b)))
  size <- without(inward, -a / 2) + a / 4
  if (rule$sides == "two" && size <= 0) 1 else threshold$p(size)
}

compare_by_rule <- function(metric, rule, threshold) {
  one_sided <- rule$sides == "one" && rule$question != "equivalence"
  control <- metric$arms[[1]]
  lapply(metric$arms[-1], function(variant) {
    crit <- threshold$value
    a <- if (one_sided && variant$rate) metric$side * uneven(variant, control) else 0
    if (a != 0) crit <- skewed(crit - a / 4, -a / 2)
    made <- compare(variant, control, if (one_sided) max(crit, 1e-6) else crit)
    z <- made$z * metric$side
    if (one_sided) {
      z <- without(z, -a / 2) + a / 4
      made$p <- pnorm(-z)
    }
    made$adjusted <- threshold$p(z)
    if (rule$question != "superiority") made$margin <- against_margin(variant, control, rule, threshold, metric$side, a)
    made
  })
}

# Whether the data agree with the plan

split_p <- function(units, weights) {
  total <- sum(units)
  if (total == 0) return(1)
  shares <- weights / sum(weights)
  if (min(shares) * total >= 10) {
    return(pchisq(sum((units - total * shares)^2 / (total * shares)), length(units) - 1, lower.tail = FALSE))
  }
  tails <- pmin(pbinom(units, total, shares), pbinom(units - 1, total, shares, lower.tail = FALSE))
  min(2 * (if (length(units) == 2) 1 else length(units)) * min(tails), 1)
}

# `days` is a table of units: a row a day, a column a variant.
side_by_side <- function(days) {
  total <- sum(days)
  if (total == 0) return(list(p = 1, apart = FALSE))
  shares <- colSums(days) / total
  joined <- list()
  waiting <- NULL
  if (all(shares > 0)) {
    for (k in seq_len(nrow(days))) {
      waiting <- if (is.null(waiting)) days[k, ] else waiting + days[k, ]
      if (min(sum(waiting) * shares) >= 5) {
        joined[[length(joined) + 1]] <- waiting
        waiting <- NULL
      }
    }
    if (!is.null(waiting) && length(joined) > 0) joined[[length(joined)]] <- joined[[length(joined)]] + waiting
  }
  p <- 1
  if (length(joined) > 1) {
    parts <- sapply(joined, function(row) sum((row - sum(row) * shares)^2 / (sum(row) * shares)))
    p <- pchisq(sum(parts), (length(joined) - 1) * (length(shares) - 1), lower.tail = FALSE)
  }
  apart <- p < 0.001
  for (at in which(colSums(days) > 0)) {
    mine <- sum(days[, at])
    runs <- rle(days[, at] == 0)
    ends <- cumsum(runs$lengths)
    for (k in which(runs$values)) {
      drawn <- sum(days[(ends[k] - runs$lengths[k] + 1):ends[k], ])
      if (drawn == 0) next
      chance <- if (drawn > total - mine) 0 else {
        exp(lgamma(total - mine + 1) - lgamma(total - mine - drawn + 1) - lgamma(total + 1) + lgamma(total - drawn + 1))
      }
      if (min(chance * sum(rowSums(days) > 0) * sum(colSums(days) > 0), 1) < 0.001) apart <- TRUE
    }
  }
  list(p = p, apart = apart)
}

# One reading

given <- commandArgs(trailingOnly = TRUE)
here <- sub("^--file=", "", grep("^--file=", commandArgs(), value = TRUE))
folder <- if (length(given) > 0) given[1] else if (length(here) > 0) dirname(here[1]) else "."

rows <- read_table("rule.csv")
setting <- function(name) rows$value[rows$name == name]
rule <- list(
  covered = setting("covered"), question = setting("question"), method = setting("method"), sides = setting("sides"),
  spending = setting("spending"), confidence = num(setting("confidence")), margin = num(setting("worthwhile_lift")),
  final = setting("looks_last") == "yes", ended = setting("ended") == "yes"
)
variants <- read_table("variants.csv")
letters_of <- variants$variant
counts <- read_table("counts.csv")
looks <- read_table("looks.csv")
SUMS <- setdiff(names(counts), c("metric", "first_day", "day", "variant"))

metrics <- lapply(split(read_table("metrics.csv"), seq_len(nrow(read_table("metrics.csv")))), function(row) {
  mine <- counts[counts$metric == row$metric, ]
  sums <- lapply(letters_of, function(letter) {
    lapply(setNames(SUMS, SUMS), function(name) sum(num(mine[mine$variant == letter, name])))
  })
  if (row$kind == "adjusted") sums <- adjust(sums)
  list(
    key = row$metric, role = row$role, rows = mine, side = if (row$good_direction == "up") 1 else -1,
    margin = if (row$margin == "") 0 else num(row$margin), level = num(row$planned_level),
    arms = lapply(sums, make_arm, kind = row$kind)
  )
})
primary <- Filter(function(m) m$role == "primary", metrics)[[1]]
others <- Filter(function(m) m$role != "primary", metrics)

found <- list()
note <- function(metric, variant, figure, value) found[[paste(metric, variant, figure, sep = "|")]] <<- value

units <- sapply(primary$arms, `[[`, "n")
planned <- num(strsplit(setting("planned_units"), " ")[[1]])
progress <- if (length(planned) > 0) min(units / planned) else NULL
numbers <- sort(unique(as.integer(looks$look)))
rule$information <- if (length(planned) > 0) {
  as.numeric(sapply(numbers, function(k) min(num(looks$units[as.integer(looks$look) == k]) / planned)))
} else numeric()

note_comparisons <- function(metric, made, judged_on_difference) {
  for (k in seq_along(made)) {
    one <- made[[k]]
    figures <- list(
      lift = one$lift_at, lift_low = one$lift[1], lift_high = one$lift[2], difference = one$difference_at,
      difference_low = one$difference[1], difference_high = one$difference[2], z = one$z, p = one$p,
      p_adjusted = one$adjusted, critical_value = one$crit
    )
    if (metric$role == "primary" && !is.na(one$margin) && !judged_on_difference) figures$p_margin <- one$margin
    for (name in names(figures)) note(metric$key, letters_of[k + 1], name, figures[[name]])
  }
}

# (low, high) of each variant, turned so that positive is good, and whether it can be held against a margin
effects_of <- function(metric, made) {
  undefined <- any(vapply(made, `[[`, TRUE, "undefined"))
  unit <- if (isnum(metric$level)) metric$level else 1
  bounds <- lapply(made, function(one) {
    effect <- if (undefined) one$difference / unit else one$lift
    if (metric$side > 0) effect else -rev(effect)
  })
  list(bounds = bounds, sized = !undefined || isnum(metric$level))
}

for (metric in metrics) {
  for (k in seq_along(letters_of)) {
    note(metric$key, letters_of[k], "units", metric$arms[[k]]$n)
    note(metric$key, letters_of[k], "level", metric$arms[[k]]$m)
  }
}

if (rule$covered != "units") {
  level <- 1 - rule$confidence
  split_seen <- split_p(units, num(variants$weight))
  note("", "", "split_p", split_seen)
  days <- sort(unique(primary$rows$day))
  span <- if (length(days) > 0) as.integer(as.Date(max(days)) - as.Date(min(primary$rows$first_day))) + 1L else 0L
  apart <- FALSE
  if (all(primary$rows$first_day == primary$rows$day)) {
    seen <- matrix(0, length(days), length(letters_of))
    seen[cbind(match(primary$rows$day, days), match(primary$rows$variant, letters_of))] <- num(primary$rows$units)
    together <- side_by_side(seen)
    note("", "", "drift_p", together$p)
    apart <- together$apart
  }
  for (k in seq_along(letters_of)) {
    arm <- primary$arms[[k]]
    bounds <- c(NaN, NaN)
    if (arm$rate && arm$n > 0) bounds <- wilson(arm, normal(level))
    if (!arm$rate && isnum(arm$v)) bounds <- arm$m + c(-1, 1) * qt(level / 2, arm$n - 1, lower.tail = FALSE) * sqrt(arm$v)
    note(primary$key, letters_of[k], "level_low", bounds[1])
    note(primary$key, letters_of[k], "level_high", bounds[2])
  }
  enough <- all(sapply(primary$arms, comparable)) && (rule$method != "group_sequential" || length(rule$information) > 0)
  if (enough && rule$covered == "part") {
    for (k in seq_along(primary$arms)[-1]) {
      made <- compare(primary$arms[[k]], primary$arms[[1]], 1)
      note(primary$key, letters_of[k], "lift", made$lift_at)
      note(primary$key, letters_of[k], "difference", made$difference_at)
      note(primary$key, letters_of[k], "z", made$z)
      note(primary$key, letters_of[k], "p", made$p)
    }
  }
}

if (rule$covered == "whole") {
  comparisons <- if (enough) compare_by_rule(primary, rule, threshold_of(rule, units, rule$sides)) else list()
  if (rule$method == "group_sequential" && length(rule$information) > 0) {
    values <- boundary(rule$information, each_level(rule, length(units) - 1, rule$sides), rule$spending, rule$final)
    for (k in seq_along(values)) {
      note("", k, "information", rule$information[k])
      note("", k, "boundary", values[k])
    }
  }
  note_comparisons(primary, comparisons, any(vapply(comparisons, `[[`, TRUE, "undefined")))

  # Guardrails and goals by the standard of the rule; secondary metrics as one family over all their variants
  of_others <- list()
  for (role in c("secondary", "exploratory")) {
    mine <- Filter(function(m) m$role == role && all(sapply(m$arms, comparable)), others)
    pvalues <- unlist(lapply(mine, function(m) sapply(m$arms[-1], function(v) 2 * pnorm(-abs(statistic(v, m$arms[[1]]))))))
    if (length(pvalues) == 0) next
    adjusted <- family(pvalues, level, setting("family"))
    at <- 0
    for (m in mine) {
      made <- list()
      for (variant in m$arms[-1]) {
        at <- at + 1
        made[[length(made) + 1]] <- compare(variant, m$arms[[1]], normal(adjusted$levels[at]), adjusted$adjusted[at])
      }
      of_others[[m$key]] <- made
    }
  }
  for (m in others) {
    if (setting("guardrails_covered") == "yes" && m$role %in% c("guardrail", "goal") && all(sapply(m$arms, comparable))) {
      threshold <- threshold_of(rule, sapply(m$arms, `[[`, "n"), "two")
      of_others[[m$key]] <- lapply(m$arms[-1], function(v) {
        made <- compare(v, m$arms[[1]], threshold$value)
        made$adjusted <- threshold$p(made$z)
        made
      })
    }
    note_comparisons(m, of_others[[m$key]], FALSE)
  }

  # The verdict
  minimum <- span >= as.integer(setting("minimum_days"))
  if (rule$method == "fixed" && !is.null(progress)) {
    longest <- num(setting("longest_days"))
    minimum <- minimum && (progress >= 1 || (!is.na(longest) && span + as.integer(setting("warm_up_days")) >= longest))
  }
  if (rule$method == "group_sequential") minimum <- minimum && length(rule$information) > 0
  if (primary$arms[[1]]$rate) {
    for (arm in primary$arms[-1]) {
      both <- arm$x + primary$arms[[1]]$x
      whole <- arm$n + primary$arms[[1]]$n
      expected <- if (whole > 0) min(arm$n, primary$arms[[1]]$n) * min(both, whole - both) / whole else 0
      minimum <- minimum && expected >= as.integer(setting("least_conversions"))
    }
  }
  minimum <- minimum && all(vapply(comparisons, `[[`, TRUE, "trusted"))
  sound <- !(split_seen < 0.001) && !apart
  readable <- sound && length(comparisons) > 0 && minimum

  effect <- effects_of(primary, comparisons)
  low <- vapply(effect$bounds, `[`, 0, 1)
  high <- vapply(effect$bounds, `[`, 0, 2)
  gains <- vapply(comparisons, function(one) one$difference_at * primary$side, 0)
  margin <- rule$margin
  clear <- low > 0
  beaten <- high < 0
  inside <- effect$sized & low > -margin & high < margin
  shown <- switch(rule$question, superiority = clear & !inside, noninferiority = effect$sized & low > -margin, inside)
  refuted <- switch(rule$question,
    superiority = beaten | (effect$sized & high < margin),
    noninferiority = effect$sized & high < -margin,
    effect$sized & (high < -margin | low > margin)
  )
  harmed <- kept_all <- logical()
  for (k in seq_along(comparisons)) {
    harmed[k] <- FALSE
    kept_all[k] <- TRUE
    for (m in others) {
      guarding <- m$role %in% c("guardrail", "goal")
      bounds <- c(-Inf, Inf)
      if (length(of_others[[m$key]]) > 0) {
        its <- effects_of(m, of_others[[m$key]])
        if (of_others[[m$key]][[k]]$trusted && (its$sized || !guarding)) bounds <- its$bounds[[k]]
      }
      if (m$role != "exploratory") harmed[k] <- harmed[k] || bounds[2] < -m$margin
      if (guarding) kept_all[k] <- kept_all[k] && bounds[1] > -m$margin
    }
  }
  wins <- readable & shown
  unharmed <- wins & !harmed
  clean <- unharmed & kept_all
  closed <- rule$ended || (readable && (rule$method == "fixed" || rule$final))
  best <- function(among) if (any(among)) letters_of[1 + which(among)[which.max(gains[among])]] else ""
  everyone <- rep(TRUE, length(wins))
  no_win <- readable && length(wins) > 0 && !any(wins)
  said <- if (!sound) {
    c("unsound", "")
  } else if (any(clean & clear) && rule$question != "equivalence") {
    c("winner", best(clean & clear))
  } else if (any(clean)) {
    c(if (rule$question == "noninferiority") "not_worse" else "the_same", best(clean))
  } else if (any(wins) && (!any(unharmed) || closed)) {
    c("trade_off", if (any(unharmed)) best(unharmed) else best(wins))
  } else if (rule$question == "superiority" && no_win && all(inside) && !all(beaten)) {
    c("no_worthwhile_difference", best(everyone))
  } else if (no_win && all(refuted)) {
    if (rule$question == "equivalence") c("not_the_same", best(everyone)) else c("keep_control", letters_of[1])
  } else if (closed) {
    c("unresolved", best(everyone))
  } else {
    c("keep_collecting", if (any(unharmed)) best(unharmed) else best(everyone))
  }
  note("", "", "verdict", said[1])
  note("", "", "variant", said[2])
}

# What was said, and what follows

# What a figure may differ by beyond its millionth: bounds of a lift or difference are what is left of rates near one another, and
# a statistic of 0 is one in rounding; a p has its digits however small it is.
slack <- function(figure) {
  if (grepl("p$", figure) || startsWith(figure, "p_")) return(0)
  if (startsWith(figure, "lift") || startsWith(figure, "difference")) 1e-10 else 1e-12
}
same <- function(figure, given, value) {
  if (is.character(value)) return(given == value)
  stated <- num(given)
  if (is.na(stated) || is.na(value)) return(is.na(stated) && is.na(value))
  if (is.infinite(stated) || is.infinite(value)) return(stated == value)
  abs(stated - value) <= TOLERANCE * max(abs(stated), abs(value)) + slack(figure)
}

wrong <- checked <- 0
left_out <- list()
figures <- read_table("figures.csv")
for (k in seq_len(nrow(figures))) {
  row <- figures[k, ]
  if (row$not_covered != "") {
    left_out[[row$not_covered]] <- c(left_out[[row$not_covered]], row$figure)
    next
  }
  value <- found[[paste(row$metric, row$variant, row$figure, sep = "|")]]
  if (is.null(value)) value <- "not found"
  good <- same(row$figure, row$value, value)
  checked <- checked + 1
  wrong <- wrong + !good
  place <- paste(Filter(nzchar, c(row$metric, row$variant, row$figure)), collapse = " ")
  shown <- if (is.character(value)) value else format(value, digits = 10)
  cat(sprintf("%s  %-44s given %-24s found %s\n", if (good) "ok   " else "WRONG", place, row$value, shown))
}
for (reason in names(left_out)) {
  cat(sprintf("not covered: %s: %s\n", paste(sort(unique(left_out[[reason]])), collapse = ", "), reason))
}
without_verdict <- any(vapply(left_out, function(names) "verdict" %in% names, TRUE))
end <- if (without_verdict) "; the verdict is not covered" else ""
cat(sprintf("%d of %d figures agree%s\n", as.integer(checked - wrong), as.integer(checked), end))
quit(status = if (wrong > 0 || checked == 0) 1 else 0)
