test_that("every model has a record that fits what is compiled, and a meaning for each parameter", {
  expect_setequal(names(purchase_models()), names(cpp_purchase_models()))
  expect_setequal(names(spend_models()), names(cpp_spend_models()))
  for (record in c(purchase_models(), spend_models())) {
    expect_identical(names(record$meanings), record$parameters, label = record$name)
  }
  wrong <- purchase_record("bg-nbd", c(r = "shape"), list())
  expect_error(with_compiled(list(wrong), cpp_purchase_models()), "meanings of bg-nbd")
  expect_error(
    with_compiled(list(purchase_record("no-such", c(), list())), cpp_purchase_models()),
    "No compiled model"
  )
})

test_long("a fifth model is one C++ file and one record: it is fitted, predicted, told and drawn", {
  folder <- withr::local_tempdir()
  file.copy(test_path("plain_model.cpp"), folder)
  withr::local_envvar(PKG_CPPFLAGS = paste0("-I", shQuote(normalizePath(test_path("../../src")))))
  made <- withr::with_dir(folder, system2(
    file.path(R.home("bin"), "R"), c("CMD", "SHLIB", "plain_model.cpp"), stdout = TRUE,
    stderr = TRUE
  ))
  library <- file.path(folder, paste0("plain_model", .Platform$dynlib.ext))
  expect_true(file.exists(library), info = paste(made, collapse = "\n"))
  loaded <- dyn.load(library)
  before <- model_records$purchases
  withr::defer({
    model_records$purchases <- before
    known_models$purchases <- NULL
  })
  cpp_add_purchase_model(.Call(getNativeSymbolInfo("plain_model", loaded)))
  add_purchase_model(purchase_record(
    "plain",
    c(r = "shape of rates", alpha = "their scale", a = "leaving", b = "staying"),
    leaving = list(
      value = \(p) p$a / (p$a + p$b),
      kind = "share",
      words = "%s leave after a purchase",
      axis = "chance of leaving"
    )
  ))

  truth <- purchase_model("mbg-nbd", c(r = 0.7, alpha = 6, a = 0.8, b = 2.5))
  history <- simulate(truth, seed = 3, history = data.frame(span = rep(seq(20, 60, 4), 60)))
  ours <- fit_purchases(history, "mbg-nbd")
  added <- fit_purchases(history, "plain")
  expect_true(added$converged)
  expect_equal(coef(added), coef(ours), tolerance = 1e-4)
  expect_equal(logLik(added)[[1L]], logLik(ours)[[1L]], tolerance = 1e-9)
  few <- data.frame(repeats = c(0, 3), last = c(0, 20), span = c(40, 26))
  expect_equal(
    predict(added, few, horizon = 26), predict(ours, few, horizon = 26), tolerance = 1e-4
  )
  expect_equal(predict(added, few, "active"), predict(ours, few, "active"), tolerance = 1e-5)
  expect_equal(coef(update(ours, model = "plain")), coef(added))
  said <- capture.output(print(added))
  expect_match(paste(said, collapse = " "), "leave after a +purchase")
  expect_match(said, "shape of rates", all = FALSE)
  expect_s3_class(ggplot2::autoplot(customer_spread(added)), "ggplot")
})
