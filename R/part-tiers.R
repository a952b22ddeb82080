# Parts about loyalty tiers.

# Moves are listed as the customers who moved.
read_moves <- function(x, job, study, ledger) {
  if (job$verb != "list") return(x)
  moved_customers(
    x, words_given(job$from), words_given(job$to), stayers = isTRUE(job$stayers)
  )
}

# Everybody who was there before and moved.
moved_list <- function(run) {
  movers <- moved_customers(run$moves)
  contact_list(run, movers[movers$from != "new", ])
}

tier_parts <- list(
  study_part(
    "tiers",
    "who is in which tier, and what is missing to the next",
    "tiers",
    make = \(study, ledger) do.call(
      assign_tiers, c(list(ledger), tier_arguments(study), list(during = study$tiers$during))
    ),
    figure = 6.5,
    lists = list("tiers.csv" = \(run) contact_list(run, run$tiers)),
    page = \(run) page_tiers(run),
    findings = \(run) findings_tiers(run)
  ),
  study_part(
    "tier_sizes",
    "customers and money of each tier",
    "tiers",
    make = \(study, ledger, tiers) tier_profile(tiers),
    wanted = asks_never
  ),
  study_part(
    "payoff",
    "what a tier costs, and from which uplift it pays",
    "tiers",
    make = \(study, ledger, tiers) tier_payoff(tiers, study_benefits(study)),
    wanted = \(study) !is.null(study$tiers$benefits),
    page = \(run) page_payoff(run)
  ),
  study_part(
    "moves",
    "who rose and who fell between two parts of time",
    "tiers",
    make = \(study, ledger) study_moves(study, ledger),
    wanted = \(study) !is.null(study$moves),
    figure = 6.5,
    options = c("from", "to", "stayers"),
    read = read_moves,
    lists = list("moved.csv" = moved_list),
    page = \(run) page_moves(run),
    findings = \(run) findings_moves(run),
    remarks = c("moves", "chance")
  ),
  study_part(
    "chance",
    "the moves that chance alone would make",
    "tiers",
    make = \(study, ledger, moves) move_noise(moves, ledger, draws = study$moves$draws %||% 200L),
    wanted = \(study) !is.null(study$moves)
  ),
  study_part(
    "outlook",
    "who will stay in the tier, by the forecast",
    "tiers",
    make = \(study, ledger, tiers, fits, season = NULL) tier_outlook(
      tiers, ledger, seed = study$forecast$seed %||% 1L, models = study_models(study, season, fits)
    ),
    wanted = \(study) asks_forecast(study) &&
      identical(study$tiers$measure %||% "sales", "sales") &&
      is.null(study$tiers$limits),
    figure = 6.5,
    lists = list("outlook.csv" = \(run) contact_list(run, run$outlook)),
    page = \(run) page_outlook(run)
  )
)
