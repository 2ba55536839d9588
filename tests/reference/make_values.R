# Writes values.txt: the data and the reference values that the statistics are tested against.
#
#   Rscript tests/reference/make_values.R > tests/reference/values.txt
#
# Needs r-base-core, r-cran-coin, r-cran-diptest. The tests need none of them.
# A line is a name and its numbers; the R call beside each is what the name stands for.

suppressPackageStartupMessages(library(coin))
set.seed(20)
put <- function(name, values) cat(name, sprintf("%.17g", as.numeric(values)), "\n")

# --- paired ---------------------------------------------------------------------------------------------------

paired <- list(
  tiny    = c(1.5, -0.2, 2.25, 0.7, 3.1, 0.9),
  small   = c(0.952, -0.147, 1.022, 0.43, 0.62, 0.59, 0.49, -0.08, 0.01),
  ties    = c(1, 1, 2, -1, 0, 3, 0, 2, -2, 1, 4, 1),
  zeros   = c(0, 0, 0, 0, 5, 0, -1, 0),
  allzero = c(0, 0, 0, 0, 0),
  extreme = c(1e-300, 1e300, -1e-300, 5e-301, 2, -1e300, 3e-5),
  medium  = round(rnorm(40, 0.3), 1),
  large   = round(rnorm(200, 0.1), 1))
for (name in names(paired)) {
  d <- paired[[name]]
  put(paste0("paired.", name), d)
}
for (name in c("tiny", "small")) {  # no ties and no zeros: wilcox.test is exact
  w <- wilcox.test(paired[[name]], conf.int = TRUE)
  put(paste0("walsh.", name), c(w$p.value, w$estimate, w$conf.int))
}
w <- wilcox.test(rnorm49 <- rnorm(49, 0.2), conf.int = TRUE)
put("paired.distinct", rnorm49)
put("walsh.distinct", c(w$p.value, w$estimate, w$conf.int))
for (case in list(c(0, 1), c(3, 5), c(8, 10), c(52, 20), c(600, 60), c(9000, 200), c(20000, 300)))
  put(paste0("psignrank.", case[1], ".", case[2]), psignrank(case[1], case[2]))

# --- unpaired -------------------------------------------------------------------------------------------------

unpaired <- list(
  tiny    = list(c(1.1, 2.4, 0.3), c(3.5, 2.9, 4.4, 5.1)),
  small   = list(c(0.8, 0.83, 1.89, 1.04, 1.45, 1.38, 1.91, 1.64, 0.73, 1.46), c(1.15, 0.88, 0.9, 0.74, 1.21)),
  ties    = list(c(1, 2, 2, 3, 4, 4, 4, 5), c(2, 3, 3, 4, 5, 6, 6)),
  pain    = list(c(1, 2, 1, 1, 1, 1, 1, 1, 1, 1, 2, 4, 1, 1), c(3, 3, 4, 3, 1, 2, 3, 1, 1, 5, 4)),
  equal   = list(rep(2, 6), rep(2, 5)),
  extreme = list(c(1e300, -1e300, 0, 1), c(1e-300, 5, 7, 1e200, 3)),
  medium  = list(rnorm(30), rnorm(25, 0.4, 2)),
  large   = list(round(rnorm(150), 1), round(rnorm(120, 0.2), 1)))
for (name in names(unpaired)) {
  x <- unpaired[[name]][[1]]; y <- unpaired[[name]][[2]]
  put(paste0("x.", name), x); put(paste0("y.", name), y)
  group <- factor(rep(c("x", "y"), c(length(x), length(y))))
  if (name != "large" && name != "equal") {
    tail <- function(side) pvalue(wilcox_test(c(x, y) ~ group, distribution = "exact", alternative = side))
    put(paste0("mannwhitney.", name), min(1, 2 * min(tail("less"), tail("greater"))))
  }
  if (name == "large") put("mannwhitney.large", suppressWarnings(wilcox.test(x, y, exact = FALSE))$p.value)
}
for (name in c("tiny", "small", "medium")) {
  w <- wilcox.test(unpaired[[name]][[1]], unpaired[[name]][[2]], conf.int = TRUE)
  put(paste0("shift.", name), c(w$estimate, w$conf.int))
}
put("brunnermunzel.pain", c(3.1375, 17.683, 0.005786))  # Brunner & Munzel 2000, as printed
for (case in list(c(3, 20, 9, 22), c(0, 10, 4, 10), c(1, 1000, 12, 900), c(5, 5, 0, 4)))
  put(paste(c("fisher", case), collapse = "."),
      fisher.test(matrix(c(case[1], case[2] - case[1], case[3], case[4] - case[3]), 2))$p.value)

# --- location and spread ---------------------------------------------------------------------------------------

for (name in c("tiny", "ties", "medium", "large")) {
  d <- paired[[name]]
  put(paste0("location.", name), c(mean(d), median(d), mean(d, trim = 0.1), mean(d, trim = 0.25), var(d), mad(d)))
  p <- c(0, 0.05, 0.25, 0.5, 0.9, 1)
  put(paste0("quantile7.", name), quantile(d, p, type = 7))
  put(paste0("quantile8.", name), quantile(d, p, type = 8))
}
for (n in c(5, 6, 20, 100)) for (p in c(0.5, 0.9)) {  # order statistics with tails of at most 2.5 %
  l <- qbinom(0.025, n, p); if (pbinom(l, n, p) > 0.025) l <- l - 1
  u <- qbinom(0.975, n, p); if (1 - pbinom(u, n, p) > 0.025) u <- u + 1
  put(paste0("orderstatistics.", n, ".", p * 10), c(l + 1, u + 2 - 1))
}

# --- many, series, shape ----------------------------------------------------------------------------------------

p <- c(0.001, 0.008, 0.039, 0.041, 0.042, 0.06, 0.074, 0.205, 0.212, 0.216, 0.222, 0.251, 0.269, 0.275, 0.34)
put("many.p", p); put("many.BH", p.adjust(p, "BH")); put("many.holm", p.adjust(p, "holm"))
series <- list(
  drifting = c(1.1, 1.0, 1.3, 1.2, 1.5, 1.4, 1.8, 1.7, 1.9, 2.2),
  tied     = c(1, 2, 1, 2, 2, 3, 3, 2, 4, 3, 3, 5),
  steps    = c(rnorm(15), rnorm(15, 3)),
  noise    = rnorm(80))
for (name in names(series)) {
  s <- series[[name]]; n <- length(s)
  put(paste0("series.", name), s)
  put(paste0("lag1.", name), acf(s, 1, plot = FALSE)$acf[2])
  for (lags in c(1, 3)) {
    b <- Box.test(s, lags, "Ljung-Box"); put(paste0("ljungbox", lags, ".", name), c(b$statistic, b$p.value))
  }
  k <- suppressWarnings(cor.test(s, seq_len(n), method = "kendall", exact = FALSE, continuity = TRUE))
  i <- combn(n, 2); slopes <- (s[i[2, ]] - s[i[1, ]]) / (i[2, ] - i[1, ])
  put(paste0("drift.", name), c(median(slopes), sum(sign(slopes)), k$p.value))
  u <- sapply(1:(n - 1), function(t) abs(sum(sign(outer(s[1:t], s[(t + 1):n], "-")))))
  put(paste0("pettitt.", name), c(which.max(u), max(u), min(1, 2 * exp(-6 * max(u)^2 / (n^3 + n^2)))))
}
dips <- list(tiny = c(1, 2, 4), two = c(rnorm(20), rnorm(20, 6)), one = rnorm(50), tied = c(1, 1, 1, 2, 5, 5, 5, 6, 6),
             three = c(rnorm(30), rnorm(30, 5), rnorm(30, 10)), big = runif(500))
for (name in names(dips)) { put(paste0("dip.x.", name), dips[[name]]); put(paste0("dip.", name), diptest::dip(dips[[name]])) }

# --- fits --------------------------------------------------------------------------------------------------------

size <- c(100, 200, 400, 800, 1600, 3200)
costs <- list(linear = 3e-3 * size * exp(rnorm(6, 0, 0.02)), heap = 1e-3 * size * log(size) * exp(rnorm(6, 0, 0.01)),
              square = 2e-5 * size^2 * exp(rnorm(6, 0, 0.03)))
put("fit.size", size)
for (name in names(costs)) {
  cost <- costs[[name]]
  f <- lm(log(cost) ~ log(size))
  put(paste0("fit.cost.", name), cost)
  put(paste0("fit.power.", name), c(exp(coef(f)[1]), coef(f)[2], confint(f)[2, ]))
  g <- lm(cost ~ I(size^2), weights = 1 / cost^2)
  put(paste0("fit.weighted.", name), c(coef(g), vcov(g)[1, 2], sum(residuals(g)^2 / cost^2)))
}

for (name in c("tiny", "ties")) put(paste0("mean_interval.", name), t.test(paired[[name]], conf.level = 0.9)$conf.int)
