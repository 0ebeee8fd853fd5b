#include "williwaw/balance/term.hpp"

namespace williwaw {

void Evaluation::update(const std::vector<std::unique_ptr<Term>>& terms, const Instant& instant) {
  terms_.resize(terms.size());
  time_ = instant.time;
  for (std::size_t t = 0; t < terms.size(); ++t) terms[t]->evaluate(instant, *this, terms_[t]);
}

}  // namespace williwaw
