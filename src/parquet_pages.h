// What stands in the pages of a Parquet column: their heads, packed bytes, runs of small numbers,
// and plain values as texts.
#pragma once
#include <charconv>
#include "date_kernels.h"
#include "parquet_bytes.h"

namespace nubrek {

// Snappy's block format.
inline void unpack(const Byte* from, std::size_t n, std::vector<Byte>& out) {
  Bytes in{from, from + n};
  const std::size_t size = static_cast<std::size_t>(in.varint());
  if (size > (1u << 30)) refuse("a page too large");
  out.resize(size);
  std::size_t at = 0;
  while (in.left() > 0) {
    const Byte tag = *in.take(1);
    if ((tag & 3) == 0) {
      std::size_t length = (tag >> 2) + 1u;
      if (length > 60) {
        const std::size_t more = length - 60;
        const Byte* bytes = in.take(more);
        length = 0;
        for (std::size_t i = 0; i < more; ++i)
          length |= static_cast<std::size_t>(bytes[i]) << (8 * i);
        ++length;
      }
      const Byte* text = in.take(length);
      if (at + length > size) refuse("a page that does not fit");
      std::memcpy(out.data() + at, text, length);
      at += length;
      continue;
    }
    std::size_t length, back;
    if ((tag & 3) == 1) {
      length = ((tag >> 2) & 7) + 4u;
      back = (static_cast<std::size_t>(tag >> 5) << 8) | *in.take(1);
    } else {
      length = (tag >> 2) + 1u;
      const std::size_t wide = (tag & 3) == 2 ? 2 : 4;
      const Byte* bytes = in.take(wide);
      back = 0;
      for (std::size_t i = 0; i < wide; ++i) back |= static_cast<std::size_t>(bytes[i]) << (8 * i);
    }
    if (back == 0 || back > at || at + length > size) refuse("a page that does not fit");
    if (back >= length)
      std::memcpy(out.data() + at, out.data() + at - back, length);
    else
      for (std::size_t i = 0; i < length; ++i) out[at + i] = out[at + i - back];
    at += length;
  }
  if (at != size) refuse("a page that does not fit");
}

// Runs and packed groups of small numbers.
class SmallNumbers {
 public:
  SmallNumbers(Bytes in, int width) : in_(in), width_(width) {
    if (width < 0 || width > 32) refuse("numbers too wide");
  }
  // Whether the next `n` are all `value`; if so they are taken.
  bool take_equal(std::size_t n, std::uint32_t value) {
    if (n == 0) return true;
    if (run_ == 0 && packed_ == 0) begin();
    if (run_ < n || value_ != value) return false;
    run_ -= n;
    return true;
  }
  std::uint32_t next() {
    while (run_ == 0 && packed_ == 0) begin();
    if (run_ > 0) {
      --run_;
      return value_;
    }
    --packed_;
    while (bits_ < width_) {
      held_ |= static_cast<std::uint64_t>(*in_.take(1)) << bits_;
      bits_ += 8;
    }
    const std::uint32_t out =
        static_cast<std::uint32_t>(held_ & ((std::uint64_t{1} << width_) - 1));
    held_ >>= width_;
    bits_ -= width_;
    return out;
  }

 private:
  void begin() {
    const std::uint64_t head = in_.varint();
    if (head & 1) {
      packed_ = (head >> 1) * 8;
      bits_ = 0;
      held_ = 0;
    } else {
      run_ = head >> 1;
      value_ = 0;
      for (int i = 0; i < (width_ + 7) / 8; ++i)
        value_ |= static_cast<std::uint32_t>(*in_.take(1)) << (8 * i);
    }
  }

  Bytes in_;
  int width_;
  std::uint64_t run_ = 0, packed_ = 0, held_ = 0;
  int bits_ = 0;
  std::uint32_t value_ = 0;
};

struct PageHeader {
  int kind = -1, encoding = -1;
  std::int64_t packed = 0, unpacked = 0, values = 0, levels = 0, repeats = 0;
  bool compressed = true;
};

inline PageHeader page_header(Bytes& in) {
  PageHeader out;
  read_struct(in, [&](int id, int type) {
    if (id == 1) {
      out.kind = static_cast<int>(in.zigzag());
      return true;
    }
    if (id == 2) {
      out.unpacked = in.zigzag();
      return true;
    }
    if (id == 3) {
      out.packed = in.zigzag();
      return true;
    }
    if ((id != 5 && id != 7 && id != 8) || type != kStruct) return false;
    read_struct(in, [&](int field, int of) {
      if (field == 1) {
        out.values = in.zigzag();
        return true;
      }
      if (field == (id == 8 ? 4 : 2)) {
        out.encoding = static_cast<int>(in.zigzag());
        return true;
      }
      if (id == 8 && field == 5) {
        out.levels = in.zigzag();
        return true;
      }
      if (id == 8 && field == 6) {
        out.repeats = in.zigzag();
        return true;
      }
      if (id == 8 && field == 7) {
        out.compressed = of == kTrue;
        return true;
      }
      return false;
    });
    return true;
  });
  if (out.packed < 0 || out.values < 0 || out.levels < 0 || out.repeats != 0)
    refuse("a page that is not known");
  return out;
}

// Values of plain pages as texts. Those of numbers and days stand in `room`.
class PlainTexts {
 public:
  PlainTexts(ParquetKind kind, std::size_t values, const Bytes& page, std::vector<char>& room)
      : kind_(kind) {
    if (kind != ParquetKind::text) {
      if (values > page.left() / sizeof(std::int32_t)) refuse("more values than bytes");
      room.resize(values * kWidest);
    }
    to_ = room.data();
  }
  std::string_view next(Bytes& in) {
    if (kind_ == ParquetKind::text) {
      const std::size_t n = in.number32();
      return {reinterpret_cast<const char*>(in.take(n)), n};
    }
    char* const from = to_;
    if (kind_ == ParquetKind::day) {
      to_ = day_text(number<std::int32_t>(in), to_);
    } else {
      const std::int64_t value =
          kind_ == ParquetKind::whole32 ? number<std::int32_t>(in) : number<std::int64_t>(in);
      // doubles, which the general reader gives, cannot tell them apart
      if (value >= kTooLong || value <= -kTooLong) refuse("numbers too long");
      to_ = std::to_chars(to_, to_ + kWidest, value).ptr;
    }
    return {from, static_cast<std::size_t>(to_ - from)};
  }

 private:
  static constexpr std::size_t kWidest = 24;
  static constexpr std::int64_t kTooLong = std::int64_t{1} << 53;

  template <class T>
  static T number(Bytes& in) {
    T out;
    std::memcpy(&out, in.take(sizeof out), sizeof out);
    return out;
  }
  static char* day_text(int day, char* to) {
    int year, month, of_month;
    civil_of_day(day, year, month, of_month);
    if (year < 1000 || year > 9999) refuse("a day that is not usual");
    const int parts[3] = {year, month, of_month};
    for (const int part : parts) {
      if (part < 10) *to++ = '0';
      to = std::to_chars(to, to + 4, part).ptr;
      *to++ = '-';
    }
    return to - 1;
  }

  ParquetKind kind_;
  char* to_;
};

}  // namespace nubrek
