# What R knows of the models: one record each, in the order in which they are named. Parameters and
# what is mixed come from the compiled model of that name; no other place knows a model by name.

# A model of purchases. `meanings` has a sentence for each parameter; `leaving` says what is told of
# leaving: its `value` from the parameters, whether that is a "share" or a "time", the `words`
# around it, and the `axis` of its spread over customers.
purchase_record <- function(name, meanings, leaving) {
  list(name = name, meanings = meanings, leaving_told = leaving)
}

# A model of spend. `starts` gives places where the climb may begin, on the scale it is made on.
spend_record <- function(name, meanings, starts) {
  list(name = name, meanings = meanings, starts = starts)
}

# The records with what the compiled models say of themselves: parameters, whether time is in
# occasions, what is mixed, what is fitted in logs.
purchase_models <- function() {
  known_models$purchases <- known_models$purchases %||%
    with_compiled(model_records$purchases, cpp_purchase_models())
}
spend_models <- function() {
  known_models$spend <- known_models$spend %||%
    with_compiled(model_records$spend, cpp_spend_models())
}
known_models <- new.env(parent = emptyenv())

with_compiled <- function(records, compiled) {
  names(records) <- vapply(records, `[[`, "", "name")
  lapply(records, function(record) {
    facts <- compiled[[record$name]]
    if (is.null(facts)) stop("No compiled model is called ", record$name)
    if (!identical(names(record$meanings), facts$parameters)) {
      stop("The meanings of ", record$name, " are not those of ", toString(facts$parameters))
    }
    c(record, facts)
  })
}

# Makes another model of purchases known.
add_purchase_model <- function(record) {
  model_records$purchases <- c(model_records$purchases, list(record))
  known_models$purchases <- NULL
}

is_discrete <- function(name) purchase_models()[[name]]$discrete

# Every model of purchases has two pairs of parameters: of buying, then of leaving. Effects of
# covariates stand behind them.
base_places <- function(name) seq_along(purchase_models()[[name]]$parameters)
leaving_places <- function(name) utils::tail(base_places(name), 2L)

rates_meaning <- c(
  r = "shape of the purchase rates: small, customers differ much",
  alpha = "their scale: the mean rate is r / alpha"
)

# Models in which a customer leaves with a chance after purchases differ in which these are.
chance_meaning <- function(after) {
  c(
    rates_meaning,
    a = sprintf("leaving: the mean chance after a %s is a / (a + b)", after),
    b = "small a + b: customers differ much in leaving"
  )
}
chance_told <- function(words) {
  list(
    value = \(p) p$a / (p$a + p$b),
    kind = "share",
    words = words,
    axis = "chance of leaving after a purchase"
  )
}

model_records <- new.env(parent = emptyenv())
model_records$purchases <- list(
  purchase_record(
    "pareto-nbd",
    c(
      rates_meaning,
      s = "shape of the rates of leaving",
      beta = "their scale: the mean rate is s / beta"
    ),
    leaving = list(
      value = \(p) p$beta * expm1(log(2) / p$s),
      kind = "time",
      words = "half of them leave within %s"
    )
  ),
  purchase_record(
    "bg-nbd",
    chance_meaning("repeat"),
    leaving = chance_told("%s of repeat purchases are a customer\u2019s last")
  ),
  purchase_record(
    "mbg-nbd",
    chance_meaning("purchase"),
    leaving = chance_told("%s of purchases are a customer\u2019s last, the first one too")
  ),
  purchase_record(
    "bg-bb",
    c(
      alpha = "buying: the mean chance at an occasion is alpha / (alpha + beta)",
      beta = "small alpha + beta: customers differ much in buying",
      gamma = "leaving: the mean chance before an occasion is gamma / (gamma + delta)",
      delta = "small gamma + delta: customers differ much in leaving"
    ),
    leaving = list(
      value = \(p) p$gamma / (p$gamma + p$delta),
      kind = "share",
      words = "%s of new customers leave before the next occasion",
      axis = "chance of leaving before an occasion"
    )
  )
)
model_records$spend <- list(
  spend_record(
    "gamma-gamma",
    c(
      p = "shape of one customer's amounts: small, they vary much",
      q = "shape of the customers' levels",
      gamma = "scale: the mean amount is p gamma / (q - 1)"
    ),
    starts = \(amounts) {
      typical <- mean(amounts)
      list(log(c(4, 4, 3 / 4 * typical)), log(c(1, 2, typical)), log(c(10, 1.5, typical / 20)))
    }
  ),
  spend_record(
    "log-normal",
    c(
      mu = "mean log of the customers' levels",
      sigma = "spread of one customer's amounts, in logs",
      tau = "spread of the customers' levels, in logs"
    ),
    starts = \(amounts) {
      spread <- stats::sd(log(amounts))
      list(c(mean(log(amounts)), log(spread), log(spread / 2)))
    }
  )
)
