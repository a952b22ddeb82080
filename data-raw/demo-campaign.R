# A campaign of the demo world that was held and is over: nothing was done to its customers, so that
# it shows what no effect looks like. Run behind demo-world.R:  Rscript data-raw/demo-campaign.R
library(nubrek)
ledger <- study_ledger("inst/pellmere/study.yaml")
chosen <- audience(
  ledger, purchases >= 2, open_gap <= 200, as_of = "2025-06-30", name = "summer letter"
)
drawn <- draw_control(
  chosen, ledger, share = 0.3, seed = 7, day = "2025-07-01", days = 90, cost_per_contact = 0.85,
  margin_rate = 0.48
)
save_campaign(drawn, "inst/pellmere/summer-letter.json")
