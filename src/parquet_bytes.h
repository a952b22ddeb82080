// The bytes of a Parquet file: its compact structures, and the file itself. Whatever is cut short
// or odd is refused.
#pragma once
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <string>
#include <vector>
#include "parquet_text.h"

namespace nubrek {

using Byte = std::uint8_t;
[[noreturn]] inline void refuse(const char* why) {
  throw ParquetRefused(why);
}

struct Bytes {
  const Byte* p;
  const Byte* end;
  std::size_t left() const { return static_cast<std::size_t>(end - p); }
  const Byte* take(std::size_t n) {
    if (left() < n) refuse("cut short");
    const Byte* at = p;
    p += n;
    return at;
  }
  std::uint32_t number32() {
    std::uint32_t n;
    std::memcpy(&n, take(4), 4);
    return n;
  }
  std::uint64_t varint() {
    std::uint64_t n = 0;
    for (int shift = 0; shift < 64; shift += 7) {
      const Byte b = *take(1);
      n |= static_cast<std::uint64_t>(b & 0x7F) << shift;
      if (!(b & 0x80)) return n;
    }
    refuse("a number without end");
  }
  std::int64_t zigzag() {
    const std::uint64_t n = varint();
    return static_cast<std::int64_t>(n >> 1) ^ -static_cast<std::int64_t>(n & 1);
  }
};

// The compact serialisation of the footer and the page headers: fields by number, each with its
// type.
enum Type {
  kTrue = 1,
  kFalse = 2,
  kByte = 3,
  kDouble = 7,
  kBinary = 8,
  kList = 9,
  kSet = 10,
  kMap = 11,
  kStruct = 12
};
void skip(Bytes& in, int type, int depth = 0);

template <class Field>
void read_struct(Bytes& in, const Field& field) {
  for (int id = 0;;) {
    const Byte head = *in.take(1);
    if (head == 0) return;
    id = head >> 4 ? id + (head >> 4) : static_cast<int>(in.zigzag());
    const int type = head & 15;
    if (!field(id, type)) skip(in, type);
  }
}

template <class Item>
void read_list(Bytes& in, const Item& item) {
  const Byte head = *in.take(1);
  const std::uint64_t n = head >> 4 == 15 ? in.varint() : head >> 4;
  for (std::uint64_t i = 0; i < n; ++i) item(head & 15);
}

inline void skip(Bytes& in, int type, int depth) {
  if (depth > 30) refuse("too deep");
  switch (type) {
    case kTrue:
    case kFalse:
      return;
    case kByte:
      in.take(1);
      return;
    case 4:
    case 5:
    case 6:
      in.varint();
      return;
    case kDouble:
      in.take(8);
      return;
    case kBinary:
      in.take(static_cast<std::size_t>(in.varint()));
      return;
    case kList:
    case kSet:
      read_list(in, [&](int of) {
        if (of == kTrue || of == kFalse)
          in.take(1);
        else
          skip(in, of, depth + 1);
      });
      return;
    case kStruct:
      read_struct(in, [&](int, int of) {
        skip(in, of, depth + 1);
        return true;
      });
      return;
    default:
      refuse("a type that is not known");
  }
}

inline std::string text_of(Bytes& in) {
  const std::size_t n = static_cast<std::size_t>(in.varint());
  return {reinterpret_cast<const char*>(in.take(n)), n};
}

struct File {
  explicit File(const std::string& path) : handle(std::fopen(path.c_str(), "rb"), &std::fclose) {
    if (!handle) refuse("cannot be opened");
  }
  std::vector<Byte> read(std::int64_t from, std::int64_t n) {
    if (from < 0 || n < 0) refuse("a place outside the file");
    std::vector<Byte> out(static_cast<std::size_t>(n));
    if (std::fseek(handle.get(), static_cast<long>(from), SEEK_SET) != 0 ||
        std::fread(out.data(), 1, out.size(), handle.get()) != out.size())
      refuse("cut short");
    return out;
  }
  std::int64_t size() {
    std::fseek(handle.get(), 0, SEEK_END);
    return std::ftell(handle.get());
  }
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> handle;
};

}  // namespace nubrek
