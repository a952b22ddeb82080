#include "date_kernels.h"

namespace nubrek {
namespace {

struct Cursor {
  const char* p;
  const char* end;
  bool done() const { return p >= end; }
  char now() const { return p < end ? *p : '\0'; }
  bool digit() const { return p < end && *p >= '0' && *p <= '9'; }
  // Reads up to `most` digits; returns how many there were.
  int number(int most, int& value) {
    int n = 0;
    for (value = 0; n < most && digit(); ++n) value = value * 10 + (*p++ - '0');
    return n;
  }
  void blanks() {
    while (p < end && (*p == ' ' || *p == '\t')) ++p;
  }
  bool take(char c) {
    if (now() != c) return false;
    ++p;
    return true;
  }
};

bool read_time(Cursor& c, DateText& out) {
  int hour, minute, second = 0;
  if (!c.number(2, hour) || !c.take(':') || c.number(2, minute) != 2) return false;
  double fraction = 0;
  if (c.take(':')) {
    if (c.number(2, second) != 2) return false;
    if (c.take('.') || c.take(',')) {
      if (!c.digit()) return false;
      for (double unit = 0.1; c.digit(); unit /= 10) fraction += unit * (*c.p++ - '0');
    }
  }
  c.blanks();
  const char half = c.now() | 0x20;
  if ((half == 'a' || half == 'p') && c.end - c.p >= 2 && (c.p[1] | 0x20) == 'm') {
    if (hour < 1 || hour > 12) return false;
    hour = hour % 12 + (half == 'p' ? 12 : 0);
    c.p += 2;
  }
  if (hour > 23 || minute > 59 || second > 60) return false;
  out.seconds = hour * 3600.0 + minute * 60.0 + second + fraction;
  if (c.take('Z') || c.take('z')) {
    out.has_offset = true;
    return true;
  }
  if (c.now() == '+' || c.now() == '-') {
    const int sign = *c.p++ == '-' ? -1 : 1;
    int oh, om = 0;
    if (c.number(2, oh) != 2) return false;
    const bool colon = c.take(':');
    if (c.digit() || colon)
      if (c.number(2, om) != 2) return false;
    if (oh > 14 || om > 59) return false;
    out.has_offset = true;
    out.offset = sign * (oh * 3600 + om * 60);
  }
  return true;
}

}  // namespace

DateText read_date(const char* text, std::size_t n) {
  DateText out;
  Cursor c{text, text + n};
  c.blanks();
  int a, b, d;
  const char* from = c.p;
  int digits = c.number(8, a);
  if (digits == 8) {  // 20240305
    out.year_first = true;
    out.first = a / 10000;
    out.second = a / 100 % 100;
    out.third = a % 100;
  } else {
    if (digits != 4 && digits != 1 && digits != 2) return out;
    out.year_first = digits == 4;
    const char mark = c.now();
    if (mark != '-' && mark != '/' && mark != '.') return out;
    ++c.p;
    if (!c.number(2, b) || !c.take(mark)) return out;
    const int last = c.number(4, d);
    if (out.year_first ? (last != 1 && last != 2) : last != 4) return out;
    out.first = a;
    out.second = b;
    out.third = d;
  }
  if (c.p == from) return out;
  if (c.now() == 'T' || c.now() == 't') {
    ++c.p;
    if (!read_time(c, out)) return out;
  } else if (c.now() == ' ') {
    c.blanks();
    if (!c.done() && !read_time(c, out)) return out;
  }
  c.blanks();
  out.fine = c.done();
  return out;
}

// Days since the epoch in the proleptic Gregorian calendar, by eras of 400 years.
int civil_day(int year, int month, int day) {
  static const int kLengths[] = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};
  if (year < 1900 || year > 2199 || month < 1 || month > 12 || day < 1) return kNoDay;
  const bool leap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
  if (day > kLengths[month - 1] + (month == 2 && leap ? 1 : 0)) return kNoDay;
  const int y = month <= 2 ? year - 1 : year;
  const int era = y / 400, year_of_era = y % 400;
  const int day_of_year = (153 * (month + (month > 2 ? -3 : 9)) + 2) / 5 + day - 1;
  return era * 146097 + year_of_era * 365 + year_of_era / 4 - year_of_era / 100 + day_of_year -
         719468;
}

// Years begin in March, so that the odd day of a leap year is their last; 400 years, four
// centuries, four years and months each have one length but for their last.
void civil_of_day(int day, int& year, int& month, int& of_month) {
  const long long from_march = static_cast<long long>(day) + 719468;
  const long long era = (from_march >= 0 ? from_march : from_march - 146096) / 146097;
  const int in_era = static_cast<int>(from_march - era * 146097);
  const int years = (in_era - in_era / 1460 + in_era / 36524 - in_era / 146096) / 365;
  const int in_year = in_era - (365 * years + years / 4 - years / 100);
  const int months = (5 * in_year + 2) / 153;
  of_month = in_year - (153 * months + 2) / 5 + 1;
  month = months < 10 ? months + 3 : months - 9;
  year = years + static_cast<int>(era) * 400 + (month <= 2);
}

int day_of(const DateText& t, DateOrder order) {
  if (!t.fine) return kNoDay;
  if (t.year_first) return civil_day(t.first, t.second, t.third);
  if (order == DateOrder::day_first) return civil_day(t.third, t.second, t.first);
  if (order == DateOrder::month_first) return civil_day(t.third, t.first, t.second);
  return kNoDay;
}

void OrderCounts::add(const DateText& text, int place) {
  if (!text.fine) return;
  if (text.year_first) {
    ++year_first;
    return;
  }
  const bool d = day_of(text, DateOrder::day_first) != kNoDay;
  const bool m = day_of(text, DateOrder::month_first) != kNoDay;
  day_first += d;
  month_first += m;
  both += d && m;
  if (d && !m && !only_day) only_day = place;
  if (m && !d && !only_month) only_month = place;
  if (d && m && text.first != text.second && !first_both) first_both = place;
}

}  // namespace nubrek
